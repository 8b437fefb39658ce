// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/find_context.h"

namespace zt {

/// One kernel of a Linux system with all that belongs to it.
struct KernelVersion {
  std::string version;
  std::vector<NodeId> nodes;  ///< image, start image, symbols, settings, modules, headers
  std::string flavour;        ///< "amd64", "generic", "default": of each the newest stays
  std::string removal;        ///< its package manager's command; empty where none is known
  bool image = false;
  bool stays = false;  ///< running, or the newest of its flavour, or one that may be running, or not certain
};

/// The kernels of the system whose top is at `top`, the newest first. Which manager keeps them follows from
/// its database: where none is known, or more than one, all stay; and so does what has no version in its name
/// (the main kernel of a system that rolls) and what is kept for rescue.
std::vector<KernelVersion> kernelsOf(const FindContext& context, const PathBytes& top);

/// Whether version `a` is before `b`: numbers by their value, all else by letters.
bool olderVersion(std::string_view a, std::string_view b);

}  // namespace zt
