// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/reminders.h"
#include "core/upkeep/rule.h"
#include "words/sheet_words.h"

namespace zt {

/// Rules that run by themselves, as sentences.
class UpkeepWords : public SheetWords {
public:
  /// "empty what answers “trash”, untouched for 30 days: every Monday at 03:00 on /; at most 20 GB at once"
  std::string rule(const UpkeepRule& rule) const;
  std::string ruleWhen(const UpkeepRule& rule) const;
  /// What came of a run: "2026-11-29: done, 12 things, +1.2 GB".
  std::string ran(const UpkeepRan& ran) const;
  std::string upkeepEnd(UpkeepEnd end) const;
  /// What is still to be seen to: "harbour: 2.1 GB set aside 9 days ago; let it go or put it back".
  std::string reminder(const Reminder& reminder, TimeNs now) const;

protected:
  using SheetWords::SheetWords;
};

}  // namespace zt
