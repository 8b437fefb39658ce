// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/clock.h"
#include "core/base/json_reader.h"

namespace zt {

/// When a rule runs.
enum class UpkeepWhen : std::uint8_t {
  daily,
  weekly,   ///< on Mondays
  monthly,  ///< on the first
  upgrade,  ///< after packages were changed
  below     ///< when free bytes fall below an amount, once an hour at most
};
constexpr int upkeepWhens = 5;
std::string_view name(UpkeepWhen when);

/// How a run of a rule ended.
enum class UpkeepEnd : std::uint8_t {
  done,
  nothing,       ///< nothing answered
  partly,        ///< something would not go
  tooMuch,       ///< more than it may take at once: nothing was touched
  unusual,       ///< ten times what it usually takes: nothing was touched
  placeChanged,  ///< what the rule is about is a link now, or another drive
  wholeHome,     ///< it would have taken somebody's whole home, or the top of a drive
  busy,          ///< somebody else works on the drive
  failed         ///< `why` says more
};
constexpr int upkeepEnds = 9;
std::string_view name(UpkeepEnd end);

/// What came of one run.
struct UpkeepRan {
  TimeNs when = 0;
  UpkeepEnd end = UpkeepEnd::done;
  std::uint64_t things = 0;
  Bytes planned = 0;
  SignedBytes gained = 0;  ///< by the drive's own counter
  std::string why;         ///< code of an error; empty for none
  PathBytes job;           ///< where it is kept: journal and proof; empty for a dry run
};

/// What is done again and again on a drive of a running system.
struct UpkeepRule {
  std::string id;        ///< "r1"
  PathBytes on;          ///< what is measured: a drive's top or a folder
  std::string drive;     ///< its identity, so that another one in its place is left alone
  std::string action;    ///< name of a kind of step: "discard", "empty", "drop", "limit"
  std::string question;  ///< which finds, in the words of questions
  int olderDays = 0;     ///< only things untouched for so long
  std::size_t newestStay = 0;
  Bytes capTo = 0;  ///< only what is beyond this, the oldest first; 0: all. To `limit` it must be said
  UpkeepWhen when = UpkeepWhen::weekly;
  int minuteOfDay = 3 * 60;  ///< local time; for daily, weekly, monthly
  Bytes below = 0;           ///< free bytes; for `below`
  Bytes mostBytes = 20'000'000'000;
  std::uint64_t mostThings = 20'000;
  /// Somebody wrote it out: arrivals and what is personal may go by it.
  bool personal = false;
  std::vector<UpkeepRan> ran;  ///< the latest last, ten at most
};

Json toJson(const std::vector<UpkeepRule>& rules);
/// Fails with corrupt and the place, tooNew.
Result<std::vector<UpkeepRule>> rulesFrom(const Json& json);

/// Whether a rule's time has come since it last ran. `free`: bytes, as the counter says now. Those after an
/// upgrade are due only when `upgraded`.
bool isDue(const UpkeepRule& rule, TimeNs now, Bytes free, bool upgraded);
/// When it comes next, by the clock; nothing for those that wait for something else.
std::optional<TimeNs> nextTime(const UpkeepRule& rule, TimeNs now);

}  // namespace zt
