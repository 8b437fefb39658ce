// SPDX-License-Identifier: GPL-3.0-or-later
// The words for rules that run by themselves.
#include <array>
#include <cstdio>

#include "words/words.h"

namespace zt {

std::string UpkeepWords::ruleWhen(const UpkeepRule& rule) const {
  char clock[16];
  std::snprintf(clock, sizeof clock, "%02d:%02d", rule.minuteOfDay / 60 % 24, rule.minuteOfDay % 60);
  switch (rule.when) {
    case UpkeepWhen::daily:
      return t("every day at %1", {clock});
    case UpkeepWhen::weekly:
      return t("every Monday at %1", {clock});
    case UpkeepWhen::monthly:
      return t("on the first of the month at %1", {clock});
    case UpkeepWhen::upgrade:
      return t("after packages were changed");
    case UpkeepWhen::below:
      return t("when less than %1 are free", {bytes(rule.below)});
  }
  return {};
}

std::string UpkeepWords::rule(const UpkeepRule& rule) const {
  std::string text = t("%1 what answers “%2”", {action(rule.action), rule.question});
  if (rule.olderDays > 0)
    text += ", " +
            t("untouched for %1", {counted(static_cast<std::uint64_t>(rule.olderDays), "1 day", "%1 days")});
  if (rule.newestStay > 0) text += ", " + t("but the newest %1", {number(rule.newestStay)});
  if (rule.capTo > 0) text += ", " + t("as far as it is more than %1, the oldest first", {bytes(rule.capTo)});
  text += ": " + t("%1 on %2", {ruleWhen(rule), path(rule.on)});
  text += "; " + t("at most %1 and %2 at once", {bytes(rule.mostBytes), things(rule.mostThings)});
  if (rule.personal) text += "; " + t("personal things too, as somebody wrote out");
  return text;
}

std::string UpkeepWords::upkeepEnd(UpkeepEnd end) const {
  static constexpr std::array<const char*, upkeepEnds> texts{"done",
                                                             "there was nothing to do",
                                                             "done in part; the rest would not go",
                                                             "not done: more than it may take at once",
                                                             "not done: ten times what it usually takes",
                                                             "not done: the place is another one now",
                                                             "not done: it would have taken a whole home",
                                                             "not done: somebody else works on the drive",
                                                             "not done"};
  return t(texts[static_cast<std::size_t>(end)]);
}

std::string UpkeepWords::ran(const UpkeepRan& ran) const {
  std::string text = date(ran.when) + ": " + upkeepEnd(ran.end);
  if (ran.things > 0) text += ", " + things(ran.things) + ", " + signedBytes(ran.gained);
  if (!ran.why.empty()) text += " (" + ran.why + ")";
  return text;
}

std::string UpkeepWords::reminder(const Reminder& r, TimeNs now) const {
  const std::string drive = path(r.title);
  switch (r.kind) {
    case ReminderKind::restart:
      return t("%1: restart this machine once; some of what was freed comes only then (%2)",
               {drive, ago(r.since, now)});
    case ReminderKind::hold:
      return t("%1: %2 set aside (%3); let it go or put it back", {drive, bytes(r.bytes), ago(r.since, now)});
    case ReminderKind::loan:
      return t("%1: %2 lent (%3); pay it back", {drive, bytes(r.bytes), ago(r.since, now)});
    case ReminderKind::secondCopy:
      return t("%1: %2 moved to one other drive (%3); a second copy is missing",
               {drive, bytes(r.bytes), ago(r.since, now)});
  }
  return {};
}

}  // namespace zt
