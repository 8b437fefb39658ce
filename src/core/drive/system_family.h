// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/drive/drive.h"

namespace zt {

struct FoundSystem {
  SystemFamily family = SystemFamily::none;
  std::string name;
};

/// Recognises the operating system on a drive from its own files (os-release, the Windows and macOS system
/// folders).
FoundSystem findSystem(FileSystemReader& files, const Folder& root);

}  // namespace zt
