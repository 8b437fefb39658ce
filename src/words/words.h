// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "core/finds/evidence.h"
#include "core/finds/question.h"
#include "core/job/plan_book.h"
#include "core/plan/ladder.h"
#include "core/proof/proof.h"

namespace zt {

/// How figures are written: by one locale everywhere.
struct NumberStyle {
  UnitBase base = UnitBase::decimal;
  std::string point = ".";  ///< before the decimals
  std::string group = ",";  ///< between thousands
};

/// A label and what is said under it.
struct Said {
  std::string label;
  std::string text;
};

/// Every sentence for people, told from codes and facts. Used by the command line, the desktop and sheets;
/// knows no toolkit. All texts are UTF-8. English, unless `translate` knows better: it is given each text of
/// this library as it stands in the source. Immutable; any thread that `translate` may be called from.
class Words {
public:
  using Translate = std::function<std::string(const char*)>;
  explicit Words(NumberStyle style = {}, Translate translate = {});

  // Figures.
  std::string bytes(Bytes amount) const;
  std::string signedBytes(SignedBytes amount) const;
  std::string exact(Bytes amount) const;          ///< "9,600,000,000 B"
  std::string number(std::uint64_t count) const;  ///< "9,600"
  std::string decimal(double value, int decimals) const;
  std::string baseNote() const;                   ///< "1 GB = 10⁹ B"
  std::string writablePoint(bool changed) const;  // what is told of one that can be gone on in
  std::string pointLock(PointLock lock) const;    // why it stays
  std::string age(TimeNs then, TimeNs now) const;
  std::string date(TimeNs when) const;             // "2026-11-29" (UTC)
  std::string ago(TimeNs then, TimeNs now) const;  // "today", "3 months ago"
                                                   ///< "3 years", "today"
  std::string things(std::uint64_t count) const;   ///< "1 thing", "8 things"
  std::string files(std::uint64_t count) const;    ///< "1 file", "8 files"
  std::string path(std::string_view bytes) const;  ///< escaped for showing; "/" for the root

  // Kinds.
  std::string standing(Standing s) const;
  std::string standingMeaning(Standing s) const;
  std::string regret(Regret r) const;
  /// What stands at a find that is on the plan: "planned", "to hold", "advised".
  std::string planMark(const StepKind& step) const;
  std::string role(DriveRole r) const;
  std::string kind(DriveKind k) const;
  std::string size(SizeClass s) const;
  std::string family(SystemFamily f) const;
  std::string urgency(Urgency u) const;
  std::string ageBand(AgeBand b) const;
  std::string sinceModified(AgeBand b) const;  ///< "not modified for one to three years"
  std::string findKind(std::string_view kind) const;
  std::string action(std::string_view id) const;
  std::string fileKind(FileKind kind) const;
  std::string when(GainTime time) const;
  std::string mark(Mark mark) const;
  std::string itemState(ItemState s) const;
  std::string lineState(LineOutcome::State s) const;
  std::string exception(SurveyException::Kind kind) const;

  // Drives and targets.
  std::string driveName(const Drive& d) const;
  std::string driveLine(const Drive& d) const;  ///< "system · solid-state · 256.1 GB"
  std::string targetName(const Target& t) const;
  std::string targetReason(const Target& t) const;

  // What went wrong, to which item, and what to do; without a full stop at its end.
  std::string problem(Errc code, const std::string& detail = {}) const;
  std::string error(const Error& e) const;
  /// Why a run could not be brought to its end, or a drive cannot be worked on.
  std::string left(const LeftLine& line) const;

  // The statement.
  std::string statementLine(StatementLine line) const;
  std::string lineSource(LineSource source) const;
  std::string statementPart(const StatementPart& part) const;
  /// What measuring may have done to access times; empty where it did nothing.
  std::string accessTimes(const Survey& survey) const;

  // Finds.
  std::string findTitle(const Find& f) const;
  std::string findNote(const Find& f) const;  ///< one line beneath the title
  std::string whyHere(const Find& f) const;
  /// What of a plan's gain does not reach the counter; empty if all of it does.
  std::string refillNote(const PlannedGain& gain) const;
  std::string gainNote(const Gain& gain) const;  ///< "sure, freed at once"
  /// What is known of a find, in the order it is asked.
  std::vector<Said> evidence(const Find& find, const FindContext& context, const Evidence& evidence) const;
  std::string owner(const FindContext& context, std::uint32_t number) const;
  std::string loss(std::string_view action, Regret regret) const;  ///< what a consent says will be lost
  std::string consent(const Consent::Line& line) const;
  std::string losses(const Losses& lost) const;  ///< what goes beside bytes; empty where nothing is known to
  /// What is left when nothing else reaches, with what it needs, by its id.
  std::string lastResort(std::string_view id) const;
  /// A condition of a line of the plan, by its id.
  std::string lineCondition(std::string_view id) const;
  std::string closedBecause(const Offer& offer) const;  ///< why a way cannot be gone
  std::string decision(const Decision& d, TimeNs now) const;
  /// The ladder in one line: "nothing to regret 4.2 GB · waiting +6.1 GB · …".
  std::string ladder(const Ladder& ladder) const;
  std::string reason(const ProofReason& r) const;

  // Questions.
  /// How a question was understood, as a sentence.
  std::string understood(const Question& question) const;
  /// What is wrong with a question.
  std::string notUnderstood(const Error& error) const;

  // The words of ours.
  std::string explain(std::string_view word) const;  ///< empty for words that are not ours
  static std::vector<std::string> known();

private:
  static std::size_t thrownAway(const Find& f);
  void sayOfLoss(const Find& f, const Evidence& e, std::vector<Said>& all) const;
  void sayOfTimes(const Find& f, const FindContext& c, std::vector<Said>& all) const;
  void sayOfSize(const Find& f, const Evidence& e, std::vector<Said>& all) const;
  void sayOfImage(const Find& find, std::vector<Said>& all) const;
  void sayOfKeeper(const Find& find, std::vector<Said>& all) const;
  void sayOfPoints(const Find& find, const FindContext& context, std::vector<Said>& all) const;
  void sayOfMemory(const Find& f, std::vector<Said>& all) const;
  void sayOfHolders(const Find& find, const FindContext& context, std::vector<Said>& all) const;
  void sayOfCopies(const Find& f, const Evidence& e, std::vector<Said>& all) const;
  void sayOfLimits(const Find& f, const Evidence& e, std::vector<Said>& all) const;
  std::string t(const char* text) const { return translate_ ? translate_(text) : std::string(text); }
  /// The text with %1, %2… replaced.
  std::string t(const char* text, std::initializer_list<std::string> values) const;
  std::string counted(std::uint64_t count, const char* one, const char* many) const;
  std::string condition(const Condition& c) const;

  NumberStyle style_;
  Translate translate_;
};

}  // namespace zt
