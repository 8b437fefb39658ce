// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/query/narrowing.h"

#include <algorithm>

#include "core/detect/trash_info.h"
#include "core/finds/subject_type.h"

namespace zt {

namespace {

bool touches(std::string_view path, const PathBytes& other) {
  return path == other || beneath(path, other) || beneath(other, path);
}

/// What of several finds stays where it is.
class Staying {
public:
  Staying(std::span<const Find* const> finds, const Narrowing& by, const SurveyTree& tree)
      : by_(by), tree_(tree) {
    if (by.only) only_.insert(by.only->begin(), by.only->end());
    if (by.newestStay > 0) findNewest(finds);
  }

  bool operator()(const Subject& thing) const {
    if (by_.only && !only_.contains(thing.path)) return true;
    if (by_.before != 0 && timeOf(thing, tree_) >= by_.before) return true;
    if (newest_.contains(thing.path)) return true;
    return std::any_of(by_.but.begin(), by_.but.end(),
                       [&](const PathBytes& stays) { return touches(thing.path, stays); });
  }

private:
  void findNewest(std::span<const Find* const> finds) {
    std::vector<std::pair<TimeNs, std::string_view>> all;
    for (const Find* find : finds)
      for (const Subject& thing : find->items)
        if (thing.recordOf.empty()) all.emplace_back(timeOf(thing, tree_), thing.path);
    std::sort(all.begin(), all.end(), std::greater<>());
    // The same thing may be in two finds: it is one of the newest once.
    for (std::size_t i = 0; i < all.size() && newest_.size() < by_.newestStay; ++i)
      newest_.emplace(all[i].second);
  }

  const Narrowing& by_;
  const SurveyTree& tree_;
  absl::flat_hash_set<std::string> only_;
  absl::flat_hash_set<std::string> newest_;
};

}  // namespace

TimeNs timeOf(const Subject& thing, const SurveyTree& tree) {
  if (const TimeNs thrown = timeOfDate(thing.deleted); thrown != 0) return thrown;
  return typeOf(thing).time(tree, thing);
}

std::optional<Find> without(const Find& find, const FindContext& context,
                            const std::function<bool(const Subject&)>& stays) {
  Find rest = find;
  absl::flat_hash_set<PathBytes> left;  // with their records
  std::erase_if(rest.items, [&](const Subject& thing) {
    const bool out = thing.recordOf.empty() && stays(thing);
    if (out) left.insert(thing.path);
    return out;
  });
  std::erase_if(rest.items, [&](const Subject& thing) { return left.contains(thing.recordOf); });
  if (rest.items.size() == find.items.size()) return rest;
  if (rest.items.empty() || find.whole) return std::nullopt;
  context.weigh(rest);
  return rest;
}

std::vector<Find> narrowed(std::span<const Find* const> finds, const Narrowing& by,
                           const FindContext& context) {
  const Staying stays(finds, by, context.tree);
  std::vector<Find> all;
  for (const Find* find : finds)
    if (auto rest = without(*find, context, stays)) all.push_back(std::move(*rest));
  return all;
}

}  // namespace zt
