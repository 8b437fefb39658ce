// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/match/content_kind.h"
#include "core/match/equal_folders.h"
#include "core/match/images.h"

namespace zt {

std::shared_ptr<const ContentKind> equalContent();
std::shared_ptr<const ContentKind> namesakeContent();
std::shared_ptr<const ContentKind> imageContent();

/// Files that are equal; nullptr before any were compared.
std::shared_ptr<const std::vector<EqualFiles>> equalFiles(const Contents& contents);
/// Folders that could go as a whole, of the finds of equal files where nobody said anything.
std::vector<FolderCopy> folderCopiesIn(const ContentFinds::Ptr& ofEqual);
/// Where files of one name and length first differ; empty before they were read.
std::shared_ptr<const Differences> differencesIn(const Contents& contents);
/// Disk images that were looked into; nullptr before any were.
std::shared_ptr<const std::vector<ImageSeen>> imagesIn(const Contents& contents);

}  // namespace zt
