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
    marks_[path] = *mark;
  else
    marks_.erase(path);
}

std::optional<Mark> Marks::of(std::string_view path) const {
  if (marks_.empty()) return std::nullopt;
  for (std::string_view at = path;; at = parentPath(at)) {
    if (const auto mark = marks_.find(PathBytes(at)); mark != marks_.end()) return mark->second;
    if (at.empty()) return std::nullopt;
  }
}

bool Marks::locks(std::string_view path) const {
  if (marks_.empty()) return false;
  if (of(path) == Mark::keep) return true;
  // Everything beneath begins with the path and a slash, and stands together.
  const PathBytes first = path.empty() ? PathBytes{} : PathBytes(path) + "/";
  for (auto at = marks_.lower_bound(first); at != marks_.end() && at->first.starts_with(first); ++at)
    if (at->second == Mark::keep) return true;
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
