// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/finds/find.h"
#include "core/plan/step_parameters.h"

namespace zt {

class StepExecutor;  // core/reclaim/step_executor.h; carried here, used there

/// What a step does to the regret of letting its things go.
enum class RegretRule : std::uint8_t {
  asFound,  ///< they go: the regret is that of the find
  moved,    ///< they only move
  nothing   ///< they stay as they are, and only take less room
};
/// How much of what its things occupy a step gives back.
enum class GainShare : std::uint8_t {
  all,
  some  ///< no more than that; how much is known only of each thing
};
/// Which way back a step leaves.
enum class UndoRule : std::uint8_t {
  none,
  putBack,    ///< from where it was put aside on the drive
  bringBack,  ///< from another drive, as long as its copy is there
  payBack     ///< a loan: it stays open until what was there before is there again
};
/// Which rights are asked for where who works here lacks them. What asks is not closed for the want of them.
enum class RightsRule : std::uint8_t {
  none,
  live,   ///< to change the running system
  files,  ///< to take others' things, give them back and let them go
  whole   ///< to be carried out on others' things as a whole
};
/// Whether somebody has to agree before the step is started. It is asked unless the table says that none is
/// needed.
enum class ConsentRule : std::uint8_t { asked, none };

/// A kind of step: everything that others need to know of it, so that nobody asks which one it is, and nobody
/// concludes one of its properties from another.
struct StepKind {
  std::string id;                ///< "discard": its name in plans, journals and JSON
  std::string label = {};        ///< what it is called, in the words' source language; empty: as its id
  std::string mark = "planned";  ///< what lists say of a find that stands on the plan with it; as `label`
  std::string loss = {};         ///< what a consent says is lost; empty: as the regret says. As `label`
  RegretRule regret = RegretRule::asFound;
  GainTime when = GainTime::now;
  GainShare gives = GainShare::all;
  ConsentRule consent = ConsentRule::asked;
  UndoRule undo = UndoRule::none;
  std::vector<SubjectKind> subjects{SubjectKind::entry};
  std::shared_ptr<const StepExecutor> executor;  ///< carries it out
  bool liveOnly = false;  ///< of the system that runs this program, never of an attached drive
  RightsRule rights = RightsRule::none;
  bool stopsUse = false;       ///< its things may be in use: it sees to that itself
  bool touches = true;         ///< changes the drive; else it is words for somebody else to act on
  bool afterCleaning = false;  ///< its bytes come when the file system has cleaned up
  /// Among the steps of a plan: those of a smaller one go first, unless somebody says otherwise.
  int turn = 0;
  /// How many items share a write of the journal and a look at who holds what. One for those that take long.
  std::size_t together = 256;
  Bytes mostTogether = ~Bytes{0};         ///< and how many bytes, where more than one
  std::vector<ParameterSpec> takes = {};  ///< what its lines say beside their things

  /// Whether its things are only put aside, and can be put back.
  bool setsAside() const { return undo == UndoRule::putBack; }
  bool frees() const { return when == GainTime::now && touches; }
  /// The parameters that name folders of other drives; none where it works on one drive alone.
  std::vector<const ParameterSpec*> otherDrives() const;
  /// What the step costs and gives, for something whose letting go costs `found` and gives `gain`.
  Regret regretOf(Regret found) const {
    if (regret == RegretRule::nothing) return Regret::none;
    return regret == RegretRule::moved ? Regret::personalMoved : found;
  }
  Gain gainOf(Bytes sure, Bytes atMost) const {
    return {frees() && gives == GainShare::all ? sure : 0, atMost, when};
  }
};
using StepPtr = std::shared_ptr<const StepKind>;

/// The kinds of step that are known, by name.
class StepTable {
public:
  /// The later of two by one name counts.
  void add(StepKind kind);
  /// nullptr for one that is not known.
  StepPtr find(std::string_view id) const;
  const std::vector<StepPtr>& all() const { return all_; }
  /// The first by which things are put aside; nullptr if there is none.
  StepPtr settingAside() const;

private:
  std::vector<StepPtr> all_;
};

/// Works out what each offer of a find costs and gives. Offers of steps that are not known become closed
/// ("not-yet"), and so do all of a find that is locked ("locked"). The find's own gain becomes that of its
/// first offer.
void priceOffers(Find& find, const StepTable& steps);

}  // namespace zt
