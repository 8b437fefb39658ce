// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/workshop.h"

namespace zt {

/// What somebody has still to see to after a visit.
enum class ReminderKind : std::uint8_t {
  restart,    ///< some of what was freed comes only with one
  hold,       ///< things are set aside, and free nothing until they are let go
  loan,       ///< something was switched off for a while
  secondCopy  ///< things went to one other drive, and lie nowhere else
};
constexpr int reminderKinds = 4;
std::string_view name(ReminderKind kind);

struct Reminder {
  ReminderKind kind = ReminderKind::hold;
  std::string drive;  ///< id
  std::string title;  ///< of the drive, as people know it
  PathBytes job;      ///< its file; empty for one in memory
  PathBytes root;     ///< what was measured
  TimeNs since = 0;
  Bytes bytes = 0;
  std::string boot;  ///< of a restart: the start of the machine that is waited out
};
/// Old enough to be said again: a restart at once, loans and single copies after a day, holds after a week.
bool isPressing(const Reminder& reminder, TimeNs now);

/// What is still to be seen to, the oldest first. A restart that has happened is none. Nothing without a
/// register. Any thread.
std::vector<Reminder> remindersOf(const Workshop& workshop);
/// Takes the place of what a job (its identity) had to be reminded of before.
Result<void> noteReminders(const Workshop& workshop, const std::string& job, std::vector<Reminder> now);

}  // namespace zt
