// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <array>
#include <memory>
#include <vector>

#include "core/finds/find.h"

namespace zt::desktop {

/// By what the bytes of a folder are told apart in its ribbon.
enum class Lens { standing, age, kind, owner };
constexpr int lenses = 4;
constexpr int lensParts = 7;

/// What every folder of a survey is made of, for each lens. Worked out once on the worker thread; immutable;
/// any thread.
class Composition {
public:
  explicit Composition(std::shared_ptr<const FindContext> context);
  using Parts = std::array<Bytes, lensParts>;
  /// Bytes by part of a folder or file, with everything beneath it. An inode with several names counts in
  /// shares.
  Parts parts(Lens lens, NodeId node) const;
  /// Names of the parts; empty where a lens has fewer.
  QString partName(Lens lens, int part) const;

private:
  int partOf(Lens lens, NodeId node) const;
  std::shared_ptr<const FindContext> keep_;
  const FindContext& context_;
  std::array<std::vector<Parts>, lenses> folders_;  ///< by index of the folder in order of node numbers
  std::vector<std::uint32_t> folderIndex_;
  std::vector<std::uint32_t> owners_;  ///< the largest six
};

}  // namespace zt::desktop
