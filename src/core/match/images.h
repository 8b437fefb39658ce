// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/images/image_facts.h"
#include "core/match/matcher.h"

namespace zt {

/// A disk image of the drive: a file, or the folder of a sparse bundle.
struct ImageSeen {
  NodeId node = noNode;
  ImageFacts facts;
};

struct ImageSearch {
  Bytes least = 1'000'000;                        ///< what occupies less is left out
  std::vector<bool> only;                         ///< by node: only these; empty: all
  bool readZeros = true;                          ///< reads all that images store, to find runs of zeros
  const std::vector<ImageSeen>* known = nullptr;  ///< of this survey: not looked into again
  std::stop_token stop;
  PauseGate* pause = nullptr;
};

struct ImagesFound {
  std::vector<ImageSeen> images;  ///< in the order of the tree
  std::vector<NotCompared> left;  ///< images, by what they begin with, that could not be understood or read
  Bytes read = 0;
  bool stopped = false;
};

/// Looks for disk images by content: the beginning of every file from `least` on is read, then the tables of
/// those that are images, then what they store. Placeholders, what is in a trash and what this program holds
/// are left out. `progress` is told bytes read, of bytes to be read. Any thread.
ImagesFound findImages(FileSystemReader& files, const Folder& root, const FindContext& context,
                       const ImageSearch& search, ProgressSink* progress);

/// The find of an image, of the kind "images". Facts: "format", "outside", "guest-length", "allocated",
/// "inside" (absent where it cannot be told), "least-back", "most-back", "guest-systems", "backing",
/// "backing-not-read", "kept-states", "encrypted", "unclean", "in-use". Its one way (making it compact) is
/// not built yet.
Find imageFind(const FindContext& context, const ImageSeen& image);

}  // namespace zt
