// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/detect/detector.h"

namespace zt {

/// An application or runtime that flatpak has installed, by the folders and metadata on the drive.
struct Flatpak {
  NodeId folder = noNode;  ///< of an application all its branches, of a runtime one branch
  std::string id;          ///< "org.demo.Viewer"; of a runtime with architecture and branch
  bool runtime = false;
  bool used = true;  ///< a runtime: some application, or a runtime in use, names it
};

/// What the installation for all (`var/lib/flatpak`) and those of users hold. Where the metadata of anything
/// in an installation cannot be read, all its runtimes count as used.
std::vector<Flatpak> flatpaksIn(const DetectInput& input, const SystemRoot& system);

/// The value of a key, and the extension points, of a flatpak metadata file (key file, flatpak-metadata(5)).
std::string flatpakRuntimeOf(std::string_view metadata);
std::vector<std::string> flatpakExtensionsOf(std::string_view metadata);

}  // namespace zt
