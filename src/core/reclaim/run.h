// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <stop_token>

#include "core/base/progress.h"
#include "core/reclaim/hold.h"

namespace zt {

/// What came of one line.
struct LineOutcome {
  enum class State : std::uint8_t { done, partly, refused, notReached };
  std::string line;
  StepAction action = StepAction::discard;
  State state = State::notReached;
  Bytes promised = 0;     ///< exact gain as the plan said it, in the plan's order
  Bytes freed = 0;        ///< occupied bytes of inodes whose last name went
  Bytes linksRemain = 0;  ///< of inodes that live on under other names
  Bytes held = 0;         ///< set aside; frees nothing until released
  std::uint64_t items = 0;
  std::uint64_t itemsDone = 0;
  std::vector<JournalRecord> problems;  ///< items that would not go, and why
};
std::string_view name(LineOutcome::State state);

struct RunReport {
  std::int64_t run = 0;
  std::vector<LineOutcome> lines;
  bool stopped = false;
  Error journalFailure;  ///< why the run ended early
  bool journalFailed = false;
};

/// What must be agreed to before an irreversible start.
struct Consent {
  struct Line {
    std::string id;
    Bytes bytes = 0;
    std::uint64_t items = 0;
    PathBytes example;  ///< its largest item
    Regret regret = Regret::none;
  };
  std::string token;  ///< fits exactly this plan: 32 hexadecimal digits; empty when nothing needs it
  std::vector<Line> lines;
};

/// The consents that a plan's discards need. The token depends on every line, path and identity.
Consent consentFor(const Plan& plan);

/// Called after every batch of items with what the line has come to; on the running thread.
using LineProgress = std::function<void(const LineOutcome&)>;

/// Carries a plan out. Refuses as a whole (noConsent) unless `token` is that of `consentFor(plan)`; then goes
/// line by line, item by item, and stops between items when asked. Each item is taken, looked at again, and
/// only then let go. Nothing is changed that the journal could not record first.
class Runner {
public:
  Runner(GuardedDrive drive, Journal& journal, std::int64_t run)
      : drive_(std::move(drive)), journal_(journal), run_(run), hold_(drive_, run) {}

  /// Checks every item as the run would, and changes nothing: refused records say why.
  std::vector<JournalRecord> rehearse(const Plan& plan);
  Result<RunReport> carryOut(const Plan& plan, std::string_view token, std::stop_token stop,
                             const LineProgress& progress);

private:
  using Batch = std::vector<JournalRecord>;
  Batch prepare(const PlanLine& line, std::span<const PlanItem> items);
  Result<void> runBatch(Batch& batch, bool discard);
  void takeAll(Batch& batch);
  void chooseHolds(Batch& batch);
  void unlinkAll(Batch& batch);
  Result<void> record(const Batch& batch);
  void takeBack(JournalRecord& record, const Error& why);

  GuardedDrive drive_;
  Journal& journal_;
  std::int64_t run_;
  Hold hold_;
  std::int64_t seq_ = 0;
};

/// Puts held items back, the last taken first. Gives the records as they then stand.
Result<std::vector<JournalRecord>> undoRun(GuardedDrive drive, Journal& journal,
                                           std::vector<JournalRecord> held, std::stop_token stop);

/// Lets held items go for good. The caller has the consent.
Result<std::vector<JournalRecord>> releaseRun(GuardedDrive drive, Journal& journal,
                                              std::vector<JournalRecord> held, std::stop_token stop);

/// After a crash: brings every open record (intended, discarding, returning) to a known end. Intended items
/// are taken back, those that were being discarded are finished, those being put back are put back.
Result<std::vector<JournalRecord>> recover(GuardedDrive drive, Journal& journal,
                                           std::vector<JournalRecord> open);

}  // namespace zt
