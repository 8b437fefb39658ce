// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/systems_seen.h"

#include <algorithm>

namespace zt {

namespace {

/// Names of a survey. Case is folded by going through the children of a folder.
class TreeNames final : public NameView {
public:
  explicit TreeNames(const SurveyTree& tree) : tree_(tree) {}

  bool has(std::string_view path, bool fold) const override {
    NodeId at = 0;
    for (const auto part : splitPath(path)) {
      const NodeId next = fold ? folded(at, part) : tree_.child(at, part).value_or(noNode);
      if (next == noNode) return false;
      at = next;
    }
    return true;
  }
  std::vector<PathBytes> foldersIn(std::string_view path) const override {
    std::vector<PathBytes> folders;
    const auto node = tree_.find(path);
    if (!node || !tree_.isFolder(*node)) return folders;
    const FolderTotals& t = tree_.totals(*node);
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
      if (tree_.isFolder(id)) folders.emplace_back(tree_.name(id));
    return folders;
  }

private:
  NodeId folded(NodeId folder, std::string_view wanted) const {
    if (!tree_.isFolder(folder)) return noNode;
    const FolderTotals& t = tree_.totals(folder);
    const auto same = [](char a, char b) {
      return std::tolower(static_cast<unsigned char>(a)) == std::tolower(static_cast<unsigned char>(b));
    };
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
      const auto name = tree_.name(id);
      if (std::equal(name.begin(), name.end(), wanted.begin(), wanted.end(), same)) return id;
    }
    return noNode;
  }
  const SurveyTree& tree_;
};

/// `path` as seen from `base`, if it lies at or in it.
std::optional<PathBytes> within(std::string_view path, std::string_view base) {
  if (path == base) return PathBytes{};
  if (!beneath(path, base)) return std::nullopt;
  return PathBytes(path.substr(base.empty() ? 0 : base.size() + 1));
}

PathBytes inDriveOf(const Drive& drive, const PathBytes& root) {
  return within(root, drive.target == "/" ? PathBytes{} : drive.target).value_or(PathBytes{});
}

}  // namespace

std::vector<SystemRoot> systemsSeen(const Drive& drive, const Survey& survey) {
  std::vector<SystemRoot> seen;
  // Of the running machine every drive is a part of the one system, seen from "/".
  if (drive.liveSystem)
    seen.push_back({{},
                    survey.root.substr(std::min<std::size_t>(1, survey.root.size())),
                    SystemFamily::linuxFamily,
                    true,
                    false});
  for (SystemRoot& turned : turnedTo(inDriveOf(drive, survey.root), drive.systems))
    seen.push_back(std::move(turned));
  for (SystemRoot& found : systemsIn(TreeNames(survey.tree))) {
    const auto known = std::find_if(seen.begin(), seen.end(), [&](const SystemRoot& s) {
      return s.at == found.at && s.family == found.family && s.prefix == found.prefix;
    });
    if (known == seen.end()) seen.push_back(std::move(found));
  }
  return seen;
}

}  // namespace zt
