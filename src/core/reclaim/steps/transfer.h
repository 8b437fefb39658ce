// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/reclaim/step_executor.h"

namespace zt {

/// The list of checksums beside what was moved; `sha256sum -c` reads it.
constexpr std::string_view checksumList = "SHA256SUMS";

/// The folder on another drive that the things of one job are moved to, each by its own path.
PathBytes movedFolder(std::string_view job);

/// Whether a thing fits on another drive, with what should stay free there, and whether that can keep it:
/// names, lengths, kinds of entries. Reads nothing but what says how long a file with holes is. Fails with
/// cannotKeep, noSpace; the details are those of the words.
Result<void> checkFits(const GuardedDrive& drive, const PathBytes& path, const OtherDrive& other);

/// What a copy on a drive loses of what survives here, by names: "owners", "links", "attributes", "holes",
/// "times". Only what the thing has.
std::vector<std::string> lostThere(const FindContext& context, NodeId node, const Keeping& keeping);

}  // namespace zt
