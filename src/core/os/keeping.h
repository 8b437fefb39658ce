// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/clock.h"

namespace zt {

/// What a kind of file system can keep of a file that is copied to it. A value.
struct Keeping {
  Bytes longestFile = ~Bytes{0};
  bool owners = true;  ///< owner, group and permission bits
  bool links = true;   ///< several names of one file
  bool symlinks = true;
  bool attributes = true;  ///< extended attributes, lists of rights among them
  bool holes = true;
  bool anyName = true;     ///< every name but those with '/'; else none that other systems forbid
  bool foldsCase = false;  ///< names that differ in case alone are one
  TimeNs timeStep = 1;     ///< times are kept in steps of so many nanoseconds

  /// Whether a name can stand there.
  bool takes(std::string_view name) const;
};

/// By the name that the kernel or a mount helper gives it ("vfat", "fuseblk"). One that is not known is taken
/// for keeping everything: what it loses then is seen when a copy is looked at.
/// Source: the file systems' own documents; for names, the rules of the systems that they come from.
Keeping keepingOf(std::string_view fsType);

}  // namespace zt
