// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/earlier_system.h"

#include <algorithm>
#include <array>

#include "core/catalogue/personal_names.h"

namespace zt {

namespace {

/// What a new home is given by its system, and what desktops leave in every folder.
bool isOfNewHome(std::string_view name) {
  static constexpr auto names = std::to_array<std::string_view>(
      {".bash_logout", ".bashrc", ".cshrc", ".ds_store", ".localized", ".profile", ".tcshrc", ".wget-hsts",
       ".zshrc", "desktop.ini", "thumbs.db"});
  const std::string plain = lowered(name);
  return plain.starts_with("ntuser.") || std::find(names.begin(), names.end(), plain) != names.end();
}

bool isMade(const PlaceMap::Way& way, std::string_view name, Bytes length) {
  if (holdsRecords(name, length)) return false;
  if (way.inHome && isOfNewHome(name)) return true;
  if (way.place == nullptr) return false;
  const Standing said = way.place->standing;
  return said == Standing::bedrock || said >= Standing::rebuilds ||
         (!way.inHome && way.place->regret <= Regret::wayBack);
}

}  // namespace

bool holdsOthersThings(const SurveyTree& tree, NodeId system, SystemFamily family,
                       const std::shared_ptr<const KnownPlaces>& known) {
  const PlaceMap inside({{{}, {}, family, true, false}}, {}, {}, known);
  struct At {
    NodeId node;
    PlaceMap::Way way;
  };
  std::vector<At> waiting;
  waiting.push_back({system, inside.start()});
  while (!waiting.empty()) {
    const At at = std::move(waiting.back());
    waiting.pop_back();
    if (!tree.isFolder(at.node)) return true;
    const FolderTotals& t = tree.totals(at.node);
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
      if (tree.isGone(id)) continue;
      PlaceMap::Way way = inside.step(at.way, tree.name(id), tree.kind(id));
      if (tree.isFolder(id)) {
        if (isWorkingCopySign(tree.name(id))) return true;
        waiting.push_back({id, std::move(way)});
      } else if (tree.kind(id) == EntryKind::file && !isMade(way, tree.name(id), tree.length(id))) {
        return true;
      }
    }
  }
  return false;
}

}  // namespace zt
