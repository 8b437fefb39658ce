// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/points/foreign_points.h"

#include <algorithm>

#include "core/points/series_name.h"

namespace zt {

namespace {

constexpr std::string_view store = "{3808876b-c176-4e48-b7ae-04046e6cc752}";
constexpr std::size_t identifier = store.size();

std::string lower(std::string_view text) {
  std::string low(text);
  for (char& c : low)
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  return low;
}

void add(std::vector<ForeignPoints>& all, NodeId folder, std::vector<ForeignPoints::One> points) {
  if (points.empty()) return;
  std::sort(points.begin(), points.end(), [](const auto& a, const auto& b) {
    return std::pair(a.taken, a.node) < std::pair(b.taken, b.node);
  });
  all.push_back({folder, std::move(points)});
}

template <class Each>
void eachChild(const SurveyTree& tree, NodeId folder, Each each) {
  const FolderTotals& t = tree.totals(folder);
  for (std::uint32_t i = 0; i < t.children; ++i)
    if (const NodeId id = t.firstChild + i; !tree.isGone(id)) each(id);
}

/// Names there differ in case.
NodeId childNamed(const SurveyTree& tree, std::string_view name) {
  NodeId found = noNode;
  eachChild(tree, 0, [&](NodeId id) {
    if (tree.isFolder(id) && lower(tree.name(id)) == name) found = id;
  });
  return found;
}

}  // namespace

/// Time low, middle, high with the version, in units of 100 ns since 15 October 1582.
TimeNs timeOfIdentifier(std::string_view text) {
  std::string digits;
  for (const char c : lower(text.substr(0, identifier)))
    if ((c >= '0' && c <= '9') || (c >= 'a' && c <= 'f')) digits += c;
  if (digits.size() != 32 || digits[12] != '1') return 0;
  const std::string hex = digits.substr(13, 3) + digits.substr(8, 4) + digits.substr(0, 8);
  constexpr std::int64_t to1970 = 122'192'928'000'000'000;
  const std::int64_t ticks = std::stoll(hex, nullptr, 16) - to1970;
  constexpr std::int64_t most = std::int64_t{4'102'444'800} * 10'000'000;  // the year 2100
  return ticks > 0 && ticks < most ? ticks * 100 : 0;
}

std::vector<ForeignPoints> findForeignPoints(const SurveyTree& tree) {
  std::vector<ForeignPoints> all;
  if (tree.size() == 0) return all;
  if (const NodeId kept = childNamed(tree, "system volume information"); kept != noNode) {
    std::vector<ForeignPoints::One> points;
    eachChild(tree, kept, [&](NodeId id) {
      const std::string name = lower(tree.name(id));
      // The store's own list has no identifier before it.
      if (tree.kind(id) != EntryKind::file || name.size() != 2 * identifier || !name.ends_with(store)) return;
      const TimeNs taken = timeOfIdentifier(name);
      points.push_back({id, taken != 0 ? taken : tree.modified(id)});
    });
    add(all, kept, std::move(points));
  }
  if (const NodeId kept = childNamed(tree, ".mobilebackups"); kept != noNode)
    eachChild(tree, kept, [&](NodeId machine) {
      std::vector<ForeignPoints::One> points;
      if (!tree.isFolder(machine)) return;
      eachChild(tree, machine, [&](NodeId id) {
        const auto name = tree.isFolder(id) ? seriesName(tree.name(id)) : std::nullopt;
        if (name && name->date) points.push_back({id, *name->date});
      });
      add(all, machine, std::move(points));
    });
  return all;
}

}  // namespace zt
