// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/match/content_json.h"
#include "core/match/contents.h"

namespace zt {

namespace {

struct DifferencesKnown final : ContentSeen {
  Differences differences;
};

const Differences& differencesOf(const ContentSeen& seen) {
  return static_cast<const DifferencesKnown&>(seen).differences;
}

/// Files of one name that are not equal, and where those of one length first differ.
class NamesakeContent final : public ContentKind {
public:
  std::string_view id() const override { return "differences"; }
  std::vector<std::string> findKinds() const override { return {"namesakes"}; }

  ContentSeenPtr look(ContentSearch& search) const override {
    const ContentSeenPtr before = search.before.of(id());
    const auto equal = equalFiles(search.now);
    DifferenceSearch pairs;
    pairs.known = before ? &differencesOf(*before) : nullptr;
    pairs.stop = search.how.stop;
    pairs.pause = search.how.pause;
    auto all = std::make_shared<DifferencesKnown>();
    all->differences = firstDifferences(
        search.files, search.root, search.context,
        namesakeFinds(search.context, equal ? *equal : std::vector<EqualFiles>{}), pairs, search.progress);
    search.result.read += pairs.read;
    search.result.needed += pairs.read;
    return all;
  }

  ContentSeenPtr carriedOver(const ContentSeen& seen, const SurveyTree& from,
                             const SurveyTree& to) const override {
    auto all = std::make_shared<DifferencesKnown>();
    for (const auto& [pair, at] : differencesOf(seen)) {
      const auto a = stillOn(from, pair.first, to);
      const auto b = stillOn(from, pair.second, to);
      if (a && b) all->differences[std::minmax(*a, *b)] = at;
    }
    return all;
  }

  Json toJson(const ContentSeen& seen, const SurveyTree& tree) const override {
    Json all = Json::array();
    for (const auto& [pair, at] : differencesOf(seen))
      all.push_back({{"at_bytes", at},
                     {"one", seenFileJson(tree, pair.first)},
                     {"other", seenFileJson(tree, pair.second)}});
    return all;
  }

  ContentSeenPtr read(JsonReader& in, const char* key, const SurveyTree& tree) const override {
    auto all = std::make_shared<DifferencesKnown>();
    in.eachOr(key, mostContentRows, [&](JsonReader& one) {
      std::optional<NodeId> a, b;
      one.object("one", [&](JsonReader& file) { a = readSeenFile(file, tree); });
      one.object("other", [&](JsonReader& file) { b = readSeenFile(file, tree); });
      const Bytes at = one.number<Bytes>("at_bytes");
      if (a && b) all->differences[std::minmax(*a, *b)] = at;
    });
    return all;
  }

  ContentFinds::Ptr finds(const ContentView& view, const Marks&,
                          const ContentFinds::Ptr& unmarked) const override {
    if (unmarked) return unmarked;
    auto finds = std::make_shared<ContentFinds>();
    const auto equal = equalFiles(view.contents);
    for (Find& find : namesakeFinds(view.context, equal ? *equal : std::vector<EqualFiles>{},
                                    *differencesIn(view.contents)))
      finds->all.push_back(view.made(std::move(find)));
    return finds;
  }
};

}  // namespace

std::shared_ptr<const ContentKind> namesakeContent() {
  return std::make_shared<NamesakeContent>();
}

std::shared_ptr<const Differences> differencesIn(const Contents& contents) {
  const auto seen = std::static_pointer_cast<const DifferencesKnown>(contents.of("differences"));
  if (!seen) return std::make_shared<const Differences>();
  return {seen, &seen->differences};
}

}  // namespace zt
