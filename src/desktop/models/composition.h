// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <array>
#include <map>
#include <memory>
#include <vector>

#include "core/query/answer.h"
#include "desktop/charts/field_cells.h"

namespace zt::desktop {

/// By what the bytes of a folder are told apart in its ribbon.
enum class Lens { standing, age, kind, owner };
constexpr int lenses = 4;
constexpr int lensParts = 7;

/// So many entries of one folder an outline shows; the largest, where there are more.
constexpr int outlineRows = 2000;

/// What every folder of a survey is made of, for each lens, and what else of it takes a look at every entry.
/// Worked out once on the worker thread; immutable; any thread.
class Composition {
public:
  explicit Composition(ContextPtr context);
  using Parts = std::array<Bytes, lensParts>;
  /// Bytes by part of a folder or file, with everything beneath it. An inode with several names counts in
  /// equal shares at those that were seen.
  Parts parts(Lens lens, NodeId node) const;
  /// The largest entries of a folder that has more than `outlineRows`; nullptr for others.
  const std::vector<NodeId>* largestOf(NodeId folder) const;
  const FieldCells& field() const { return field_; }
  /// The largest entry of a standing whose folder is of another one; noNode if there is none.
  NodeId largestOf(Standing standing) const { return tops_[static_cast<std::size_t>(standing)]; }
  /// Names of the parts; empty where a lens has fewer.
  QString partName(Lens lens, int part) const;

private:
  int partOf(Lens lens, NodeId node) const;
  void findOwners();
  void sumParts();
  void fillField();
  void findTops();
  void findLargest();
  ContextPtr keep_;
  const FindContext& context_;
  std::array<std::vector<Parts>, lenses> folders_;  ///< by folder number
  std::map<NodeId, std::vector<NodeId>> largest_;
  FieldCells field_{};
  std::array<NodeId, standings> tops_{};
  std::vector<std::uint32_t> owners_;  ///< the largest six
};

}  // namespace zt::desktop
