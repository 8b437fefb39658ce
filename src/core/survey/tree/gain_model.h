// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <span>
#include <vector>

#include "core/survey/tree/survey_tree.h"

namespace zt {

/// Bytes that come free: certainly, and at most. Certain means that the drive's own free counter rises by it.
struct GainBounds {
  Bytes sure = 0;
  Bytes atMost = 0;
  GainBounds& operator+=(const GainBounds& other) {
    sure += other.sure;
    atMost += other.atMost;
    return *this;
  }
  bool operator==(const GainBounds&) const = default;
};

/// What comes free when a whole set of entries goes, and who keeps bytes from coming free: an inode counts
/// once, and only if all its names go; what lies in a folder of the set is not counted twice; a file whose
/// extents others may hold as well (`SurveyTree::mayShare`) is never sure. "Beneath" is a comparison of
/// depth-first numbers, and links are found by search, so that a question costs what it is about and not the
/// whole tree. Built once per finished tree, which must outlive it. Immutable; any thread.
class GainModel {
public:
  explicit GainModel(const SurveyTree& tree);

  /// What comes free by letting all of `nodes` go.
  GainBounds of(std::span<const NodeId> nodes) const;

  /// Occupied bytes of all of `nodes` and what lies beneath them, every inode once.
  Bytes occupiedOf(std::span<const NodeId> nodes) const;

  /// The nodes without those that lie beneath another of them, sorted and unique.
  std::vector<NodeId> outermost(std::span<const NodeId> nodes) const;

  /// Whether `id` is `folder` or lies somewhere in it.
  bool beneath(NodeId id, NodeId folder) const;

  /// Names outside `nodes`, seen or not, of inodes that have a name at or beneath them.
  std::uint32_t namesElsewhere(std::span<const NodeId> nodes) const;

  /// Adds entries one after another and says what each of them adds; none may lie beneath another. What all
  /// have added is exactly `of` them together. One thread.
  class Sum {
  public:
    explicit Sum(const GainModel& model) : model_(model) {}
    GainBounds add(NodeId node);

  private:
    const GainModel& model_;
    absl::flat_hash_map<std::uint32_t, std::uint32_t> going_;  ///< names that go, by inode group
  };

private:
  /// Depth-first numbers of a folder and of the last one in it.
  struct Range {
    std::uint32_t first = 0;
    std::uint32_t end = 0;
  };
  struct Link {
    std::uint32_t folder = 0;  ///< depth-first number of the folder it lies in
    std::uint32_t group = 0;
  };
  void numberFolders();
  void sumPlain();
  void placeLinks();
  const Range& rangeOf(NodeId folder) const { return ranges_[tree_.folderIndex(folder)]; }
  std::span<const Link> linksIn(NodeId folder) const;
  /// Bytes of what goes with `node` and has one name only.
  GainBounds plainOf(NodeId node) const;
  template <class Each>
  void eachGroup(NodeId node, Each each) const;
  GainBounds bytesOfGroup(std::uint32_t group) const;
  std::uint32_t namesOfGroup(std::uint32_t group) const;

  const SurveyTree& tree_;
  std::vector<Range> ranges_;              ///< by folder number
  std::vector<GainBounds> plain_;          ///< by folder number: what has one name, with everything beneath
  std::vector<Link> links_;                ///< by folder, depth-first
  std::vector<std::uint32_t> groupStart_;  ///< first index in tree.linked() per inode, and the end
  absl::flat_hash_map<NodeId, std::uint32_t> groupOf_;
};

}  // namespace zt
