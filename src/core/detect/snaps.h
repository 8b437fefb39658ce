// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/detect/detector.h"

namespace zt {

/// A revision of an image-packed program that is installed, and switched off.
struct SnapRevision {
  std::string name;
  std::string revision;
  NodeId image = noNode;
};

/// The revisions that a system's own state file (`var/lib/snapd/state.json`: `data.snaps`, of each its
/// `sequence` and which one is `current`) names beside the current one, and whose images are there. Nothing
/// where it cannot be read or does not say so. Nothing that is mounted.
std::vector<SnapRevision> disabledSnaps(const DetectInput& input, const SystemRoot& system);

/// Names and revisions in the text of such a file, the current ones left out.
std::vector<SnapRevision> disabledInState(std::string_view stateJson);

}  // namespace zt
