// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/catalogue/catalogue.h"
#include "core/os/owner_names.h"
#include "core/survey/age_size.h"
#include "core/survey/file_kinds.h"
#include "core/survey/set_gain.h"
#include "core/survey/survey.h"

namespace zt {

enum class FindKind : std::uint8_t { large, old, dormant, trash, picked };
std::string_view name(FindKind kind);

/// When bytes come back.
enum class GainTime : std::uint8_t { now, onRelease, atRestart, untilNextStart };
std::string_view name(GainTime time);

/// Bytes a step gives back.
struct Gain {
  Bytes sure = 0;
  Bytes atMost = 0;
  GainTime when = GainTime::now;
};

/// One thing on the drive that a find is about.
struct FindItem {
  NodeId node = noNode;
  PathBytes path;  ///< relative to the survey's root
  Identity identity;
  Bytes occupied = 0;   ///< with everything beneath it
  PathBytes origin;     ///< trash: where it came from, as its info file says; may be outside this drive
  std::string deleted;  ///< trash: "2026-04-12T10:15:00" as its info file says
};

/// Something worth judging. No sentences here: the desktop and the command line word it from these facts.
struct Find {
  std::string id;  ///< stable while the same thing is found at the same path
  FindKind kind = FindKind::large;
  Standing standing = Standing::unjudged;
  Regret regret = Regret::personalGone;  ///< of discarding it
  Gain gain;
  std::vector<FindItem> items;  ///< largest first
  PathBytes place;              ///< folder that the items have in common
  std::string placeId;          ///< of the catalogue; empty where it does not know the place
  AgeBand band = AgeBand::today;
  TimeNs newest = 0;  ///< latest modification in it
  std::int64_t accessed =
      0;  ///< latest access in seconds; 0 where the mount does not keep it or it is a folder
  std::uint32_t owner = 0;
  std::uint32_t files = 0;
  std::uint32_t linksElsewhere = 0;  ///< names outside the find that keep their inode alive
  std::uint32_t leftOut = 0;         ///< further small items that were not listed
};

/// What detectors look at and by which measures.
struct FindOptions {
  TimeNs now = 0;
  TimeNs ageLine = 365 * nsPerDay;  ///< older than this is old and dormant
  Bytes largeBytes = 0;             ///< 0: by capacity, see `largeThreshold`
  std::size_t mostLarge = 2000;
  std::size_t mostItems = 5000;  ///< of one find
  KindTable kinds;
  OwnerNames owners;
};

/// A file counts as large from a 2,500th of the capacity on, at least 1 MB and at most 100 MB.
Bytes largeThreshold(Bytes capacity);

/// A survey with everything that detectors share. Built once a survey; immutable; any thread. The survey must
/// outlive it.
class FindContext {
public:
  FindContext(const Survey& survey, const Catalogue& catalogue, Anchor anchor, FindOptions options,
              bool keepsAccessTimes);

  const Survey& survey;
  const SurveyTree& tree;
  const Catalogue& catalogue;
  const Anchor anchor;
  const FindOptions options;
  const bool keepsAccessTimes;
  const SetGain setGain;
  std::vector<Standing> standing;  ///< by node
  std::vector<FileKind> kind;      ///< by node, by its name; folders are `other`
  std::vector<NodeId> trashes;     ///< trash folders by the freedesktop layout
  std::vector<bool> inTrash;       ///< by node

  TimeNs line() const { return options.now - options.ageLine; }
  Bytes large() const;
  FindItem item(NodeId node) const;
  /// Fills in id, place, gain, links elsewhere and the newest time from the items.
  void complete(Find& find) const;
  Regret regretOf(NodeId node) const;

private:
  void findTrashes();
};

/// All detectors, biggest gain first. Trash info files are read through `files`, beneath `root`.
std::vector<Find> detectAll(const FindContext& context, FileSystemReader& files, const Folder& root);

/// The single detectors.
std::vector<Find> detectLarge(const FindContext& context);
std::vector<Find> detectOld(const FindContext& context);
std::vector<Find> detectDormant(const FindContext& context);
std::vector<Find> detectTrash(const FindContext& context, FileSystemReader& files, const Folder& root);

/// A find made of entries that someone picked by hand.
Find pickedFind(const FindContext& context, NodeId node);

}  // namespace zt
