// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_set.h>

#include <functional>

#include "core/base/clock.h"
#include "core/catalogue/form_index.h"

namespace zt {

/// What the places say of one entry.
struct Judgement {
  Standing standing = Standing::unjudged;
  Regret regret = Regret::personalGone;  ///< of letting it go
  bool part =
      false;  ///< lies in something that goes as a whole or not at all: nothing may be done with it alone
};

/// Why a place does not say of an entry what it says of its kind.
enum class Verdict : std::uint8_t {
  asSaid,
  tooYoung,   ///< touched since the place's age, or at no time that can be
  stays,      ///< one of the newest, which are left alone
  unmarked,   ///< a condition is not met, or could not be looked at
  uncertain,  ///< whose system it is, is not certain
  link,       ///< leads elsewhere
  personal,   ///< personal kinds of file are in it
  foreign     ///< not of a kind that the place's maker makes there
};
constexpr int verdicts = 8;
std::string_view name(Verdict verdict);

/// One place as it speaks at one entry.
struct Sighting {
  NodeId node = noNode;
  const Place* place = nullptr;
  Standing standing = Standing::unjudged;
  Regret regret = Regret::personalGone;
  Verdict verdict = Verdict::asSaid;
  std::uint32_t above = 0;  ///< what speaks of the folder it lies in
  std::uint16_t layer = 0;  ///< of the map: the catalogue and where it was put to
  bool inHome = false;

  /// One of the newest of what its maker makes again and again, and not of somebody's backups: a person may
  /// let it go.
  bool isNewestToAskFor() const { return verdict == Verdict::stays && place->standing >= Standing::rebuilds; }
};

/// What the places say of every entry of a survey. Immutable; any thread; the places outlive it.
struct Sightings {
  std::vector<Sighting> all;                    ///< number 0 is where no place speaks
  std::vector<std::uint32_t> of;                ///< by node: its sighting's number
  std::vector<bool> part;                       ///< by node
  std::vector<NodeId> homes;                    ///< the folders that are somebody's home
  absl::flat_hash_set<std::uint32_t> cutApart;  ///< sightings of which something foreign was cut out

  Judgement judgement(NodeId node) const {
    const Sighting& s = all[of[node]];
    return {s.standing, s.regret, part[node]};
  }
};

/// What cannot be told from the survey alone.
struct JudgeOptions {
  TimeNs now = 0;  ///< ages are counted from here
  /// The first bytes of a file; nothing where the drive is not at hand.
  std::function<std::optional<std::string>(NodeId file, std::size_t most)> head;
};

/// One pass over a survey.
Sightings judge(const PlaceMap& map, const SurveyTree& tree, const JudgeOptions& options);

}  // namespace zt
