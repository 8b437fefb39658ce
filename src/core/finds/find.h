// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <variant>
#include <vector>

#include "core/catalogue/standing.h"
#include "core/finds/subject.h"
#include "core/survey/tree/age_size.h"
#include "core/survey/tree/survey_tree.h"

namespace zt {

/// Kinds of find are names ("large", "trash"…), so that a new detector is a new file and nothing else. One
/// kind is not detected but picked by hand.
constexpr std::string_view pickedKind = "picked";

/// When bytes come back.
enum class GainTime : std::uint8_t {
  now,
  onRelease,
  atRestart,
  untilNextStart,
  later  ///< when somebody else has done it
};
constexpr int gainTimes = 5;
std::string_view name(GainTime time);

/// Bytes a step gives back.
struct Gain {
  Bytes sure = 0;
  Bytes atMost = 0;
  GainTime when = GainTime::now;
  bool operator==(const Gain&) const = default;
};

/// Something known of a find, for words to be made of: an id and a value of its own kind.
struct Fact {
  std::string id;  ///< "left-out", "info-not-read"…; what each means is said in docs/formats/json.md
  std::variant<std::uint64_t, std::string> value;
  bool operator==(const Fact&) const = default;
};

/// One way to deal with a find. A detector names the step; what it gives and costs follows from the step's
/// kind.
struct Offer {
  std::string action;  ///< name of a kind of step
  Regret regret = Regret::personalGone;
  Gain gain;
  std::vector<std::string> conditions;  ///< "open-by-program", "needs-rights"…
  // As the kind of step says; not stored.
  bool canReturn = false;  ///< its things can be put back
  std::string label = {};  ///< what the step is called; empty: as its id
};

/// Something worth judging. No sentences here: `words` makes them from these facts.
struct Find {
  std::string id;                          ///< stable while the same thing is found at the same path
  std::string kind;                        ///< name of the detector, or `pickedKind`
  Standing judged = Standing::unjudged;    ///< the strictest of anything in it, by what is known
  Standing standing = Standing::unjudged;  ///< the same, or kept where somebody said so
  Regret regret = Regret::personalGone;    ///< the worst of discarding anything in it
  Gain gain;                               ///< of the first offer
  std::vector<Subject> items;              ///< largest first
  std::vector<Offer> offers;               ///< the first is the usual one; empty where nothing may be done
  /// Ways that cannot be gone, with the reason among their conditions; their gain where it is known.
  std::vector<Offer> closed;
  std::vector<Fact> facts;
  PathBytes place;      ///< folder that the items have in common
  std::string placeId;  ///< of the catalogue; empty where it does not know the place
  AgeBand band = AgeBand::today;
  TimeNs newest = 0;  ///< latest modification in it
  std::int64_t accessed =
      0;  ///< latest access in seconds; 0 where the mount does not keep it or it is a folder
  std::uint32_t owner = 0;
  std::uint32_t files = 0;
  std::uint32_t linksElsewhere = 0;  ///< names outside the find that keep their inode alive
  /// How likely somebody will let it go, of a hundred: decisions are shown in this order.
  std::uint32_t likelihood = 0;
  bool live = false;   ///< of the system that runs this program
  bool whole = false;  ///< all of it goes, or nothing
};

/// What its things have in common, or the one thing.
PathBytes whereIs(const Find& find);
/// Whether a find is of a kind, or was found by that detector too (a fact "also").
bool isOfKind(const Find& find, std::string_view kind);
/// The value of a number among the facts; 0 if there is none.
std::uint64_t numberIn(const Find& find, std::string_view factId);
bool hasFact(const Find& find, std::string_view factId);
/// The text of a fact; empty if there is none.
std::string textIn(const Find& find, std::string_view factId);

}  // namespace zt
