// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <stop_token>

#include "core/base/pause.h"
#include "core/base/progress.h"
#include "core/plan/losses.h"
#include "core/reclaim/space_credit.h"
#include "core/reclaim/step_executor.h"
#include "core/reclaim/watch.h"

namespace zt {

/// What came of one line.
struct LineOutcome {
  enum class State : std::uint8_t { done, partly, refused, notReached };
  std::string line;
  std::string action;
  State state = State::notReached;
  GainBounds promised;    ///< as the plan said it, in the plan's order
  GainBounds freed;       ///< of inodes whose last name went, as the touched places showed
  SignedBytes rose = 0;   ///< what the drive's own free counter rose by meanwhile
  Bytes linksRemain = 0;  ///< of inodes that live on under other names
  Bytes held = 0;         ///< set aside; frees nothing until released
  std::uint64_t items = 0;
  std::uint64_t itemsDone = 0;
  std::vector<JournalRecord> problems;  ///< items that would not go, and why
};
constexpr int lineStates = 4;
std::string_view name(LineOutcome::State state);

struct RunReport {
  /// Lines whose bytes come with a restart only, and in which start of the machine they were carried out
  /// (`MachineFacts::boot`; empty where the system on the drive is not the one that runs).
  struct Restart {
    std::vector<std::string> lines = {};
    std::string boot = {};
  };
  std::int64_t run = 0;
  std::vector<LineOutcome> lines;
  bool stopped = false;
  bool enough = false;      ///< what was asked for was reached before the end
  bool unanswered = false;  ///< something did not answer, and the run ended there
  Bytes refill = 0;         ///< of what came free, so much was to fill up what is kept back first
  Restart restart;
  Error journalFailure;  ///< why the run ended early
  bool journalFailed = false;
};

/// What must be agreed to before a start: the token by whoever starts it, the lines by a person who read
/// them.
struct Consent {
  struct Line {
    std::string id;
    std::string action;
    Bytes bytes = 0;
    std::uint64_t items = 0;
    PathBytes example;  ///< its largest item
    Regret regret = Regret::none;
    Losses lost;             ///< what goes with it, where the survey is at hand
    StepPtr step = nullptr;  ///< nullptr where it is not known any more
    StepParameters parameters = {};
  };
  std::string token;  ///< fits exactly this plan: 32 hexadecimal digits; empty where nothing is touched
  std::vector<Line> lines;
};

/// What a consent's token depends on, piece by piece.
class TokenText {
public:
  void add(std::string_view text);
  void add(const Subject& item);  ///< its path and identity
  void add(const StepParameters& parameters);
  /// 32 hexadecimal digits.
  std::string token() const;

private:
  std::string all_;
};

/// The consents that a plan's steps need, by their kinds. The token depends on every line, path and identity.
Consent consentFor(const Plan& plan);

/// How a run goes: what one line has come to, and the drive's counter.
struct RunProgress {
  LineOutcome line;
  bool atWork = false;  ///< things of it still go; else it is over, and its `state` counts
  Bytes free = 0;       ///< as the drive's own counter was last read
  Bytes ofItem = 0;     ///< occupied bytes of the item in hand, of a step that tells how it gets on
  Bytes wentOfItem = 0;
};

/// How a run is watched and steered.
struct RunControl {
  std::stop_token stop;
  std::shared_ptr<PauseGate> pause;  ///< waited at between items; may be nullptr
  /// Called between items, at most 20 times a second, and at the end of each line; on the running thread.
  std::function<void(const RunProgress&)> progress;
  /// Ends as soon as the drive's counter has so many free bytes; 0: goes to the end.
  Bytes enough = 0;
  /// How often the drive's free counter is read, to tell which line it rose by.
  std::chrono::milliseconds readingsApart = SpaceLedger::usuallyApart;
};

/// Carries a plan out. Refuses as a whole (noConsent) unless `token` is that of `consentFor(plan)`; then goes
/// line by line, item by item, and stops between items when asked. Each item is taken, looked at again, and
/// only then let go. Nothing is changed that the journal could not record first. A step that does not answer
/// (`answersWithin`) is the problem of its line and ends the run: what it had in hand stays open in the
/// journal.
class Runner {
public:
  Runner(GuardedDrive drive, Journal& journal, std::int64_t run);

  /// Checks every item as the run would, and changes nothing: refused records say why.
  std::vector<JournalRecord> rehearse(const Plan& plan);
  Result<RunReport> carryOut(const Plan& plan, std::string_view token, const RunControl& control);

private:
  /// What one line has to do in this run.
  struct Part {
    const PlanLine* line;
    std::vector<Subject> items;
    LineOutcome outcome;
  };
  /// Items that go together through all phases, of one line or of several with the same kind of step.
  struct Batch {
    StepPtr step;
    std::vector<JournalRecord> records;
    std::vector<std::size_t> parts;  ///< of each record
    OtherDrives others = {};
    std::size_t inHand = 0;  ///< which record a step works on
    std::shared_ptr<StepMemory> memory = std::make_shared<StepMemory>();
  };
  /// How far the parts have been taken into batches.
  struct Place {
    std::size_t part = 0;
    std::size_t item = 0;
  };
  void divide(const Plan& plan);
  void runParts(RunReport& report);
  void giveUp(Batch& batch);
  Batch nextBatch(Place& at);
  bool hasEnough() const { return control_.enough > 0 && space_->last() >= control_.enough; }
  RightsOrder othersThings(const Plan& plan, std::string_view token);
  std::vector<std::shared_ptr<void>> beginSteps(const Plan& plan, std::string_view token);
  void checkOne(const StepPtr& kind, const Holders& holders, JournalRecord& record);
  StepSite siteOf(const Batch& batch, const Holders& holders);
  JournalRecord recordOf(const PlanLine& line, const Subject& item);
  Result<void> runBatch(Batch& batch);
  void chooseAll(Batch& batch);
  void applyAll(Batch& batch);
  void verifyAll(Batch& batch);
  void finishAll(Batch& batch);
  void tidyAll(Batch& batch);
  void takeBack(const StepExecutor& executor, JournalRecord& record, StepSite& site);
  bool mayGoOn();
  Result<void> stillAllowed(const JournalRecord& record);
  void tell(const Batch& batch, std::size_t at, Bytes went = 0);
  /// False where the drive's counter did not come.
  bool book(const Batch& batch);
  void end(Part& part);
  void shareTheRise();

  Watch watch_;
  std::shared_ptr<GuardedDrive> drive_;  ///< what was given up still holds it
  Journal& journal_;
  std::int64_t run_;
  std::int64_t seq_ = 0;
  RunControl control_;
  std::vector<Part> parts_;
  std::shared_ptr<SpaceLedger> space_;
  std::vector<std::size_t> pieces_;  ///< which part each piece of `space_` belongs to
  std::optional<GainModel::Sum> promises_;
  GainModel::Points going_;  ///< those that were promised so far
  std::chrono::steady_clock::time_point nextTold_{};
  std::chrono::steady_clock::time_point nextAsked_{};  ///< what is kept
};

/// Opens the other drives that a record's kind of step works with; none where it works on one alone. Within
/// `Watch::run`.
Result<OtherDrives> openOthers(Watch& watch, const GuardedDrive& drive, const StepKind& step,
                               JournalRecord& record);

/// Puts held items back, the last taken first. Gives the records as they then stand.
Result<std::vector<JournalRecord>> undoRun(GuardedDrive drive, const StepTable& steps, Journal& journal,
                                           std::vector<JournalRecord> held, std::stop_token stop);

/// Lets held items go for good. The caller has the consent.
Result<std::vector<JournalRecord>> releaseRun(GuardedDrive drive, const StepTable& steps, Journal& journal,
                                              std::vector<JournalRecord> held, std::stop_token stop);

/// After a crash: takes every open record (intended, discarding, returning) back; with `finish`, which needs
/// a consent, what was being let go is let go. What was being let go and is not whole any more stays open
/// without it; what is in neither place has gone. Records of a step that is not known, and those that cannot
/// be true, stay open.
Result<std::vector<JournalRecord>> recover(GuardedDrive drive, const StepTable& steps, Journal& journal,
                                           std::vector<JournalRecord> open, bool finish = false);

}  // namespace zt
