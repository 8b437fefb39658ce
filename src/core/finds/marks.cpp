// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/marks.h"

#include <algorithm>
#include <array>

namespace zt {

std::string_view name(Mark mark) {
  static constexpr std::array<std::string_view, markKinds> names{"keep", "may-go", "not-now"};
  return names[static_cast<std::size_t>(mark)];
}

void Marks::set(const PathBytes& path, std::optional<Mark> mark) {
  if (mark)
    marks_[path] = {*mark, 0, false};
  else
    marks_.erase(path);
}

namespace {

bool isOf(const SurveyTree& tree, NodeId node, const SaidOf& said) {
  return tree.inode(node) == said.inode && tree.isFolder(node) == said.folder;
}

/// Where the entries are now that are not where they were, by their numbers.
std::map<std::uint64_t, std::vector<NodeId>> whereNow(const SurveyTree& tree,
                                                      const std::map<PathBytes, SaidOf>& marks) {
  std::map<std::uint64_t, std::vector<NodeId>> sought;
  for (const auto& [path, said] : marks)
    if (said.inode != 0) {
      const auto node = tree.find(path);
      if (!node || !isOf(tree, *node, said)) sought[said.inode];
    }
  if (!sought.empty())
    for (NodeId id = 1; id < tree.size(); ++id)
      if (!tree.isGone(id))
        if (const auto at = sought.find(tree.inode(id)); at != sought.end()) at->second.push_back(id);
  return sought;
}

}  // namespace

Marks Marks::on(const SurveyTree& tree) const {
  Marks now;
  const auto moved = whereNow(tree, marks_);
  for (const auto& [path, said] : marks_) {
    const auto sought = moved.find(said.inode);
    const bool same = said.inode == 0 || sought == moved.end();
    // What nobody has taken the place of may only be out of sight: beneath a mount, or not readable today.
    if (same || said.mark == Mark::keep || !tree.find(path)) now.marks_.insert_or_assign(path, said);
    if (same) continue;
    for (const NodeId id : sought->second) {
      // A number comes back for another file; with the name it is the same one, in a folder that was moved.
      const bool named = tree.name(id) == baseName(path);
      if (isOf(tree, id, said) && (said.mark == Mark::keep || named)) now.marks_.emplace(tree.path(id), said);
    }
  }
  return now;
}

void Marks::takeMissing(const Marks& others, const SurveyTree& tree) {
  for (const auto& [path, said] : others.marks_)
    if (tree.find(path)) marks_.emplace(path, said);
}

void Marks::takeKept(const Marks& others) {
  for (const auto& [path, said] : others.marks_)
    if (said.mark == Mark::keep) marks_.insert_or_assign(path, said);
}

std::optional<Mark> Marks::of(std::string_view path) const {
  if (marks_.empty()) return std::nullopt;
  for (std::string_view at = path;; at = parentPath(at)) {
    if (const auto mark = marks_.find(PathBytes(at)); mark != marks_.end()) return mark->second.mark;
    if (at.empty()) return std::nullopt;
  }
}

bool Marks::locks(std::string_view path) const {
  if (marks_.empty()) return false;
  if (of(path) == Mark::keep) return true;
  // Everything beneath begins with the path and a slash, and stands together.
  const PathBytes first = path.empty() ? PathBytes{} : PathBytes(path) + "/";
  for (auto at = marks_.lower_bound(first); at != marks_.end() && at->first.starts_with(first); ++at)
    if (at->second.mark == Mark::keep) return true;
  return false;
}

bool Marks::locks(const Find& find) const {
  return std::any_of(find.items.begin(), find.items.end(), [&](const Subject& s) { return locks(s.path); });
}

std::optional<Mark> Marks::of(const Find& find) const {
  if (find.items.empty()) return std::nullopt;
  const auto first = of(find.items.front().path);
  const bool shared = std::all_of(find.items.begin(), find.items.end(),
                                  [&](const Subject& s) { return of(s.path) == first; });
  return shared ? first : std::nullopt;
}

}  // namespace zt
