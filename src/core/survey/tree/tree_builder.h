// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/survey/tree/growing_tree.h"

namespace zt {

/// Makes a tree from entries that come in any order as long as a folder comes before what lies in it. One
/// thread.
class TreeBuilder {
public:
  using Number = std::uint32_t;
  static constexpr Number most = 1u << 28;

  /// The first entry is the root: `parent` and name are not looked at, and it must be a folder. Fails with
  /// badInput for a parent that is none, a name that cannot be, or too many entries.
  Result<Number> add(Number parent, std::string_view name, const EntryStat& stat);
  std::size_t size() const { return entries_.size(); }
  bool isFolder(Number entry) const { return entries_[entry].stat.kind == EntryKind::folder; }
  /// The entry of that name in a folder.
  std::optional<Number> child(Number folder, std::string_view name) const;

  /// Fills an empty tree, and finishes it. Call once.
  Result<void> build(GrowingTree& tree);

private:
  struct Item {
    Number parent = 0;
    std::string name;
    EntryStat stat;
  };
  std::vector<Item> entries_;
  absl::flat_hash_map<std::pair<Number, std::string>, Number> byName_;
};

}  // namespace zt
