// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_set.h>

#include "core/match/duplicates.h"

namespace zt {

/// By node: files of folders that are alike in all names and lengths. They are compared however short they
/// are, so that whole folders can be told equal. Nothing is read. `least`: what a folder must occupy.
std::vector<bool> filesOfAlikeFolders(const FindContext& context, Bytes least);

/// A folder all of whose files lie in another one, too.
struct FolderCopy {
  NodeId gone = noNode;   ///< the one that could go
  NodeId stays = noNode;  ///< it lies neither in the other nor around it
  bool same = false;      ///< the same names, and nothing more; else the one that stays may hold more
  KeeperRule why = KeeperRule::firstOfEqual;
};

/// Whole folders that are equal, or that others hold all files of; the outermost of each. Folders with links
/// that were not compared or special files in them, and what may not go, are left out.
std::vector<FolderCopy> folderCopies(const FindContext& context, const std::vector<EqualFiles>& groups,
                                     const Marks& marks, const KeeperOrder& order);

/// The find of one, of the kind "duplicates". Facts as `duplicateFind`, and "whole-folder" (1: the same,
/// 2: all of it lies in the other one).
Find folderFind(const FindContext& context, const FolderCopy& copy);

/// A group without those of its files that lie in folders which could go as a whole.
EqualFiles outside(const FindContext& context, const EqualFiles& group,
                   const absl::flat_hash_set<NodeId>& folders);

}  // namespace zt
