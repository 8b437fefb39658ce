// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/find_context.h"

namespace zt {

/// One kernel of a Linux system with all that belongs to it.
struct KernelVersion {
  std::string version;
  std::vector<NodeId> nodes;  ///< image, start image, symbols, settings, modules, headers
  bool image = false;
  bool stays = false;  ///< running, or the newest, or one that may be running
};

/// The kernels of the system whose top is at `top`, the newest first.
std::vector<KernelVersion> kernelsOf(const FindContext& context, const PathBytes& top);

/// Whether version `a` is before `b`: numbers by their value, all else by letters.
bool olderVersion(std::string_view a, std::string_view b);

}  // namespace zt
