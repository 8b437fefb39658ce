// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include <span>
#include <vector>

#include "core/survey/tree/holdings.h"
#include "core/survey/tree/survey_tree.h"

namespace zt {

/// Bytes that come free: certainly, and at most. Certain means that the drive's own free counter rises by it.
/// At most is what comes free if whatever else may hold some of it lets go, too: points, and who was not
/// seen.
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

/// What comes free when a whole set of entries and points goes, and who keeps bytes from coming free: an
/// inode counts once, and only if all its names go; bytes that several hold only if all of them go; what lies
/// in a folder of the set is not counted twice; a file whose extents others may hold (`SurveyTree::mayShare`)
/// and of which nobody says who is never sure. "Beneath" is a comparison of depth-first numbers, and links
/// and holders are found by search, so that a question costs what it is about and not the whole tree. Built
/// once per finished tree, which must outlive it. Immutable; any thread.
class GainModel {
public:
  /// `open`: files that processes hold open, all names of each; their bytes come when those end.
  explicit GainModel(const SurveyTree& tree, HoldingsPtr holdings = nullptr,
                     absl::flat_hash_set<NodeId> open = {});

  /// Points by their places in the holdings.
  using Points = std::vector<bool>;

  /// What comes free by letting all of `nodes`, and of the points, go.
  GainBounds of(std::span<const NodeId> nodes, const Points& points = {}) const;

  /// Occupied bytes of all of `nodes` and what lies beneath them, every inode and every extent once.
  Bytes occupiedOf(std::span<const NodeId> nodes) const;

  /// The nodes without those that lie beneath another of them, sorted and unique.
  std::vector<NodeId> outermost(std::span<const NodeId> nodes) const;

  /// Whether `id` is `folder` or lies somewhere in it.
  bool beneath(NodeId id, NodeId folder) const;

  /// Names outside `nodes`, seen or not, of inodes that have a name at or beneath them.
  std::uint32_t namesElsewhere(std::span<const NodeId> nodes) const;

  /// What keeps bytes of `nodes` from coming free now, beside further names.
  struct Keepers {
    Bytes byPoints = 0;         ///< comes free once the points of `points` go as well
    Points points;              ///< by their places in the holdings; empty: none
    Bytes byOthers = 0;         ///< other subvolumes, or somebody who was not seen
    Bytes byFiles = 0;          ///< files of the survey that are not among them
    std::vector<NodeId> files;  ///< some of those, at most ten
  };
  Keepers keepersOf(std::span<const NodeId> nodes) const;

  const Holdings* holdings() const { return holdings_.get(); }

  /// Adds entries one after another and says what each of them adds; none may lie beneath another. What all
  /// have added is exactly `of` them together with the points. Taking one away costs what adding it does,
  /// however many others there are. One thread.
  class Sum {
  public:
    explicit Sum(const GainModel& model, const Points& points = {});
    GainBounds add(NodeId node);
    /// Takes away what was added, in any order; gives what the others have less without it.
    GainBounds remove(NodeId node);
    /// What the points give that no file of the survey holds.
    GainBounds ofPoints() const { return points_; }

  private:
    friend class GainModel;
    GainBounds boundsOf(std::uint32_t extent) const;
    template <class Held, class Group>
    GainBounds each(NodeId node, Held held, Group group);
    const GainModel& model_;
    NumberSets::Chosen chosen_;  ///< the points
    NumberSets::Chosen mayGo_;   ///< all points, and who was not seen
    GainBounds points_;
    absl::flat_hash_map<std::uint32_t, std::uint32_t> going_;  ///< names that go, by inode group
    absl::flat_hash_map<std::uint32_t, std::uint32_t> files_;  ///< inodes that go, by extent
    absl::flat_hash_map<std::uint32_t, std::uint32_t> open_;   ///< of those, how many are held open
  };

private:
  /// Depth-first numbers of a folder and of the last one in it.
  struct Range {
    std::uint32_t first = 0;
    std::uint32_t end = 0;
  };
  /// Something that lies in a folder.
  struct Link {
    std::uint32_t folder = 0;  ///< depth-first number of the folder it lies in
    std::uint32_t group = 0;   ///< of an inode, or the file's place among the holdings
  };
  static constexpr std::uint32_t noList = ~std::uint32_t{0};
  void numberFolders();
  void sumPlain();
  void placeLinks();
  void placeHolders();
  const Range& rangeOf(NodeId folder) const { return ranges_[tree_.folderIndex(folder)]; }
  std::span<const Link> within(const std::vector<Link>& links, NodeId folder) const;
  /// The place of a file among the holdings.
  std::uint32_t listOf(NodeId node) const;
  Bytes heldBytes(std::uint32_t list) const;
  void nameHolders(std::span<const std::uint32_t> extents, std::span<const NodeId> tops,
                   std::vector<NodeId>& files) const;
  /// Bytes of a file that nobody else holds; all of them are unsure where nobody says.
  GainBounds ownOf(NodeId node, std::uint32_t list) const;
  /// Bytes of what goes with `node` and has one name only, but for those that it holds together with others.
  GainBounds plainOf(NodeId node) const;
  template <class Each>
  void eachGroup(NodeId node, Each each) const;
  template <class Each>
  void eachList(NodeId node, Each each) const;
  NodeId nodeOfGroup(std::uint32_t group) const { return tree_.linked()[groupStart_[group]].node; }
  std::uint32_t namesOfGroup(std::uint32_t group) const;

  const SurveyTree& tree_;
  HoldingsPtr holdings_;
  absl::flat_hash_set<NodeId> open_;
  std::vector<Range> ranges_;              ///< by folder number
  std::vector<GainBounds> plain_;          ///< by folder number: what has one name, with everything beneath
  std::vector<Link> links_;                ///< by folder, depth-first
  std::vector<std::uint32_t> listsStart_;  ///< by extent: where its holders begin in `lists_`, and the end
  std::vector<std::uint32_t> lists_;       ///< places among the holdings of those that hold an extent
  std::vector<Link> holders_;              ///< files with one name that hold something together, likewise
  std::vector<std::uint32_t> groupStart_;  ///< first index in tree.linked() per inode, and the end
  std::vector<std::uint32_t> groupList_;   ///< per inode its place among the holdings
  absl::flat_hash_map<NodeId, std::uint32_t> groupOf_;
};

}  // namespace zt
