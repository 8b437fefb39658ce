// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_set.h>

#include <map>
#include <tuple>

#include "core/detect/detector.h"

namespace zt {

/// Finds of the places whose kind is `kind`: one for each place and folder that it lies in, with what the
/// place speaks of and nothing that a deeper place does. What is too young, the newest of a series and the
/// like are left out, and said.
class PlaceFinds {
public:
  PlaceFinds(const DetectInput& input, std::string_view kind)
      : input_(input), context_(*input.context), kind_(kind) {}

  Result<void> give(const FindSink& sink, const std::stop_token& stop) const;

private:
  /// What is said of the things of a group.
  enum class Face : std::uint8_t {
    asSaid,   ///< what their place says
    foreign,  ///< personal or unknown things are in them: for a person to look at
    waiting   ///< too young, or among the newest: for a person to decide
  };
  struct Group {
    const Place* place = nullptr;
    NodeId folder = noNode;
    Face face = Face::asSaid;
    std::vector<std::uint32_t> sightings;
    std::uint64_t young = 0;  ///< left out because they are too young
    std::uint64_t stay = 0;   ///< left out because they are the newest
    std::uint64_t left = 0;   ///< cut out because their maker makes no such thing
    std::vector<NodeId> nodes = {};
  };
  /// What waits stands behind what its place says.
  using Groups = std::map<std::tuple<const Place*, NodeId, Face>, Group>;
  static Face faceOf(const Sighting& sighting);
  static Group& groupAt(Groups& groups, const Place* place, NodeId folder, Face face);
  bool isWorthAsking(const Find& find, const Group& group) const;
  Groups groups() const;
  NodeId gatheredAt(const Sighting& sighting) const;
  std::vector<NodeId> heldIn(const Group& group) const;
  bool cutApart(std::uint32_t sighting) const;
  std::string closeUnmet(Find& find, const Group& group) const;
  void addOtherReasons(Find& find) const;
  std::vector<NodeId> nodesOf(const Group& group, const absl::flat_hash_set<NodeId>& broken) const;
  Find findOf(const Group& group) const;
  void sayWhyNotAsSaid(Find& find, const Group& group) const;
  absl::flat_hash_set<NodeId> broken() const;
  void collect(NodeId node, std::uint32_t sighting, const absl::flat_hash_set<NodeId>& broken,
               std::vector<NodeId>& items) const;

  void leaveTouched(Groups& groups) const;
  bool isYoung(const Place& place, NodeId id, NodeId& in, FolderPtr& folder) const;

  const DetectInput& input_;
  const FindContext& context_;
  std::string_view kind_;
};

/// A detector of nothing but what the places say.
std::shared_ptr<const Detector> detectorOfPlaces(std::string kind);
/// Gives a find its things, largest first; the smallest are left out, and counted, where there are too many.
void takeLargest(Find& find, const FindContext& context, std::vector<NodeId>& nodes);
/// Whether so many files of so many bytes matter only in sum.
bool isManySmall(std::uint32_t files, Bytes bytes);
/// What can be done with what a place speaks of, the usual way first.
std::vector<Offer> offersOf(const Place& place);
/// How likely somebody lets it go, of a hundred, by its standing and regret.
std::uint32_t likelihoodOf(const Place& place);

}  // namespace zt
