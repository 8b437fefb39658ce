// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/outside_craft.h"

#include <algorithm>

#include "core/match/content_json.h"
#include "support/fakes.h"

namespace zt::test {

namespace {

class Ferry final : public StepExecutor {
public:
  Result<void> check(StepSite& site, const JournalRecord& r) const override {
    if (site.other() == nullptr) return fail(Errc::unsupported, "ferry", r.path);
    const auto taken = site.other()->files->stat(*site.other()->root, nameOf(r));
    return taken ? fail(Errc::taken, "ferry", r.path) : Result<void>{};
  }
  Result<void> prepare(StepSite& site, JournalRecord& r) const override {
    r.payload = "chosen";
    if (site.went) site.went(1);
    return check(site, r);
  }
  Result<void> apply(StepSite& site, JournalRecord& r) const override {
    const auto here = look(site.drive, r.path);
    if (!here) return tl::unexpected(here.error());
    auto source = site.drive.files->openFile(*here->parent, baseName(r.path));
    if (!source) return tl::unexpected(source.error());
    auto copy = site.other()->files->createFile(*site.other()->root, nameOf(r), 0600);
    if (!copy) return tl::unexpected(copy.error());
    if (auto noted = note(site, r, "copying"); !noted) return noted;
    const Bytes length = r.identity.length;
    const Bytes piece = std::max<Bytes>(1, length / r.parameters.count("pieces").value_or(1));
    for (Bytes at = 0; at < length; at += piece) {
      if (site.stop.stop_requested()) return fail(Errc::cancelled, "ferry", r.path);
      const Bytes to = std::min(at + piece, length);
      if (auto done = (*copy)->copy(**source, {at, to}); !done) return tl::unexpected(done.error());
      if (site.went) site.went(to);
    }
    if (auto synced = (*copy)->sync(); !synced) return synced;
    return note(site, r, "copied");
  }
  Result<void> verify(StepSite& site, JournalRecord& r) const override {
    const auto here = look(site.drive, r.path);
    if (!here) return tl::unexpected(here.error());
    if (!sameContent(identityOf(here->stat), r.identity)) return fail(Errc::changed, "ferry", r.path);
    // A long comparison tells how it gets on, too.
    if (site.went) site.went(r.identity.length);
    const auto one = site.drive.files->readFile(*here->parent, baseName(r.path), most);
    const auto other = site.other()->files->readFile(*site.other()->root, nameOf(r), most);
    return one && other && *one == *other ? Result<void>{} : fail(Errc::changed, "ferry", r.path);
  }
  bool finishes() const override { return true; }
  Result<void> finish(StepSite& site, JournalRecord& r) const override {
    const auto here = look(site.drive, r.path);
    if (!here) return tl::unexpected(here.error());
    if (auto gone = site.drive.files->unlink(*here->parent, baseName(r.path)); !gone) return gone;
    r.state = ItemState::gone;
    r.freed = r.promised;
    return {};
  }
  /// The source stood where it was all the time.
  Result<void> undo(StepSite& site, JournalRecord& r) const override {
    (void)site.other()->files->unlink(*site.other()->root, nameOf(r));
    r.state = ItemState::returned;
    return {};
  }
  Result<void> recover(StepSite& site, JournalRecord& r) const override { return undo(site, r); }

private:
  static constexpr std::size_t most = std::size_t{1} << 30;
  static std::string nameOf(const JournalRecord& r) { return std::string(baseName(r.path)); }
  static Result<void> note(StepSite& site, JournalRecord& r, const char* phase) {
    r.payload = phase;
    return site.note ? site.note(r) : Result<void>{};
  }
};

/// Offers every file of a megabyte and more to the ferry.
class FerryGoods final : public Detector {
public:
  std::string_view id() const override { return "ferry-goods"; }
  Result<void> detect(const DetectInput& input, const FindSink& sink, const std::stop_token&) const override {
    const FindContext& c = *input.context;
    for (NodeId id = 1; id < c.tree.size(); ++id) {
      if (c.tree.isFolder(id) || !c.tree.name(id).starts_with("crate")) continue;
      Find find;
      find.kind = "ferry-goods";
      find.items.push_back(c.subject(id));
      find.offers.push_back({"ferry", {}, {}, {}});
      c.complete(find);
      find.id = FindContext::findId("ferry-goods", find.items[0].path, AgeBand::today);
      if (!sink(std::move(find))) return {};
    }
    return {};
  }
};

struct CargoSeen final : ContentSeen {
  std::map<std::string, std::vector<NodeId>> lots;  ///< by what is in them
};

const CargoSeen& cargoOf(const ContentSeen& seen) {
  return static_cast<const CargoSeen&>(seen);
}

class Cargo final : public ContentKind {
public:
  std::string_view id() const override { return "cargo"; }
  std::vector<std::string> findKinds() const override { return {"cargo"}; }

  ContentSeenPtr look(ContentSearch& search) const override {
    auto seen = std::make_shared<CargoSeen>();
    const SurveyTree& tree = search.context.tree;
    for (NodeId id = 1; id < tree.size(); ++id) {
      if (tree.kind(id) != EntryKind::file || tree.length(id) > 1000) continue;
      const PathBytes path = tree.path(id);
      const auto folder = search.files.openBeneath(search.root, parentPath(path));
      const auto text = folder ? search.files.readFile(**folder, baseName(path), 1000)
                               : Result<std::string>(tl::unexpected(folder.error()));
      if (!text || !text->starts_with("cargo:")) continue;
      seen->lots[text->substr(6)].push_back(id);
      search.result.read += text->size();
    }
    return seen;
  }
  ContentSeenPtr carriedOver(const ContentSeen& seen, const SurveyTree& from,
                             const SurveyTree& to) const override {
    auto now = std::make_shared<CargoSeen>();
    for (const auto& [lot, nodes] : cargoOf(seen).lots)
      for (const NodeId node : nodes)
        if (const auto same = stillOn(from, node, to)) now->lots[lot].push_back(*same);
    return now;
  }
  Json toJson(const ContentSeen& seen, const SurveyTree& tree) const override {
    Json all = Json::array();
    for (const auto& [lot, nodes] : cargoOf(seen).lots)
      for (const NodeId node : nodes) all.push_back({{"lot", lot}, {"file", seenFileJson(tree, node)}});
    return all;
  }
  ContentSeenPtr read(JsonReader& in, const char* key, const SurveyTree& tree) const override {
    auto seen = std::make_shared<CargoSeen>();
    in.eachOr(key, mostContentRows, [&](JsonReader& row) {
      const std::string lot = row.text("lot");
      row.object("file", [&](JsonReader& file) {
        if (const auto node = readSeenFile(file, tree)) seen->lots[lot].push_back(*node);
      });
    });
    return seen;
  }
  ContentFinds::Ptr finds(const ContentView& view, const Marks& marks,
                          const ContentFinds::Ptr&) const override {
    auto finds = std::make_shared<ContentFinds>();
    const ContentSeenPtr seen = view.contents.of("cargo");
    if (!seen) return finds;
    for (const auto& [lot, nodes] : cargoOf(*seen).lots) {
      Find find;
      find.kind = "cargo";
      for (const NodeId node : nodes)
        if (!marks.locks(view.context.tree.path(node))) find.items.push_back(view.context.subject(node));
      if (find.items.size() < 2) continue;
      find.place = "lot " + lot;
      find.offers.push_back({"hold", {}, {}, {}});
      view.context.complete(find);
      find.id = FindContext::findId("cargo", lot, AgeBand::today);
      finds->all.push_back(view.made(std::move(find)));
    }
    return finds;
  }
};

}  // namespace

StepKind ferryStep() {
  StepKind ferry;
  ferry.id = "ferry";
  ferry.label = "ferry over";
  ferry.mark = "to ferry";
  ferry.loss = "goes over to another drive";
  ferry.together = 1;
  ferry.takes = {{"to", ParameterKind::drive, true}, {"pieces", ParameterKind::count, false}};
  ferry.executor = std::make_shared<Ferry>();
  return ferry;
}

std::shared_ptr<const ContentKind> cargoContent() {
  return std::make_shared<Cargo>();
}

Workshop workshopWithOutsideCraft() {
  Workshop w = realWorkshop();
  auto craft = std::make_shared<Craft>(*builtInCraft());
  craft->detectors.add(std::make_shared<FerryGoods>());
  craft->steps.add(ferryStep());
  craft->contents.add(cargoContent());
  w.craft = craft;
  return w;
}

}  // namespace zt::test
