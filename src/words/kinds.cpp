// SPDX-License-Identifier: GPL-3.0-or-later
// The words for every kind of thing that the core tells apart.
#include <array>
#include <map>

#include "words/words.h"

namespace zt {

namespace {

template <class Enum, std::size_t count>
const char* pick(const std::array<const char*, count>& texts, Enum value) {
  return texts[static_cast<std::size_t>(value)];
}

}  // namespace

std::string KindWords::standing(Standing s) const {
  static constexpr std::array<const char*, standings> texts{"bedrock",      "kept",     "unjudged",
                                                            "owner's call", "rebuilds", "spent"};
  return t(pick(texts, s));
}

std::string KindWords::standingMeaning(Standing s) const {
  static constexpr std::array<const char*, standings> texts{
      "the system needs it; it is locked", "someone said keep",
      "nobody has looked at it yet",       "personal; its owner may move it or let it go",
      "comes back by itself, at a cost",   "serves nothing any more"};
  return t(pick(texts, s));
}

std::string KindWords::regret(Regret r) const {
  static constexpr std::array<const char*, regrets> texts{"nothing to regret", "waiting", "a way back",
                                                          "something moved", "something gone"};
  return t(pick(texts, r));
}

std::string KindWords::planMark(const StepKind& step) const {
  return t(step.mark.c_str());
}

std::string KindWords::role(DriveRole r) const {
  static constexpr std::array<const char*, driveRoles> texts{"system",   "data", "backup", "removable",
                                                             "recovery", "boot", "network"};
  return t(pick(texts, r));
}

std::string KindWords::kind(DriveKind k) const {
  static constexpr std::array<const char*, driveKinds> texts{"kind unknown", "solid-state", "rotating",
                                                             "removable", "network"};
  return t(pick(texts, k));
}

std::string KindWords::size(SizeClass s) const {
  static constexpr std::array<const char*, sizeClasses> texts{"small", "of ordinary size", "large"};
  return t(pick(texts, s));
}

std::string KindWords::family(SystemFamily f) const {
  static constexpr std::array<const char*, systemFamilies> texts{"no system", "linux family", "nt family",
                                                                 "mac family"};
  return t(pick(texts, f));
}

std::string KindWords::urgency(Urgency u) const {
  static constexpr std::array<const char*, 4> texts{"fine", "cramped", "emergency", "full by design"};
  return t(pick(texts, u));
}

std::string KindWords::ageBand(AgeBand b) const {
  static constexpr std::array<const char*, ageBands> texts{"today",  "this week", "this month", "half a year",
                                                           "a year", "1–3 years", "older"};
  return t(pick(texts, b));
}

std::string KindWords::sinceModified(AgeBand b) const {
  static constexpr std::array<const char*, ageBands> texts{"modified today",
                                                           "modified this week",
                                                           "modified this month",
                                                           "not modified for a month or more",
                                                           "not modified for half a year or more",
                                                           "not modified for one to three years",
                                                           "not modified for more than three years"};
  return t(pick(texts, b));
}

namespace {
/// A word for a name that new files may bring; the name itself where nobody has worded it yet.
const char* wordFor(const std::map<std::string_view, const char*>& texts, std::string_view id) {
  const auto known = texts.find(id);
  return known == texts.end() ? nullptr : known->second;
}
}  // namespace

std::string KindWords::findKind(std::string_view kind) const {
  static const std::map<std::string_view, const char*> texts{{"large", "large file"},
                                                             {"old", "old files"},
                                                             {"dormant", "dormant folder"},
                                                             {"trash", "trash"},
                                                             {"leftovers", "leftovers"},
                                                             {"caches", "cache"},
                                                             {"packages", "packages"},
                                                             {"programs", "program"},
                                                             {"arrivals", "arrivals"},
                                                             {"duplicates", "equal file"},
                                                             {"namesakes", "files of one name"},
                                                             {"images", "disk image"},
                                                             {"stale-backups", "stale backup"},
                                                             {"memory-files", "memory file"},
                                                             {"components", "part of the system"},
                                                             {"many-small", "many small files"},
                                                             {"points", "snapshots"},
                                                             {"picked", "picked by hand"}};
  const char* text = wordFor(texts, kind);
  return text == nullptr ? std::string(kind) : t(text);
}

std::string KindWords::step(const StepKind& step) const {
  return step.label.empty() ? action(step.id) : t(step.label.c_str());
}

std::string KindWords::offer(const Offer& offer) const {
  return offer.label.empty() ? action(offer.action) : t(offer.label.c_str());
}

std::string KindWords::action(std::string_view id) const {
  static const std::map<std::string_view, const char*> texts{{"discard", "discard"},
                                                             {"hold", "hold"},
                                                             {"empty", "empty"},
                                                             {"release", "release"},
                                                             {"advise", "advise"},
                                                             {"drop", "let go"},
                                                             {"transfer", "move elsewhere"},
                                                             {"link", "link to the one that stays"},
                                                             {"share", "share its bytes"},
                                                             {"compact", "make it compact"},
                                                             {"remove", "remove by its owner"},
                                                             {"switch-off", "switch off"},
                                                             {"limit", "limit"}};
  const char* text = wordFor(texts, id);
  return text == nullptr ? std::string(id) : t(text);
}

std::string KindWords::fileKind(FileKind kind) const {
  static constexpr std::array<const char*, fileKinds> texts{
      "sound", "picture", "video", "archive or image", "document", "program", "other"};
  return t(pick(texts, kind));
}

std::string KindWords::when(GainTime time) const {
  static constexpr std::array<const char*, gainTimes> texts{"now", "when released", "at restart",
                                                            "until next start", "later"};
  return t(pick(texts, time));
}

std::string KindWords::writablePoint(bool changed) const {
  return t(changed ? "writable, written to since it was made" : "writable, not written to since it was made");
}

std::string KindWords::pointLock(PointLock lock) const {
  static constexpr std::array<const char*, pointLocks> texts{
      "",
      "the newest of its series",
      "it is mounted",
      "the system starts from it",
      "other subvolumes lie in it",
      "somebody can go on in it: what lies in it is planned as files",
      "only its own system can let it go"};
  return t(pick(texts, lock));
}

std::string KindWords::mark(Mark mark) const {
  static constexpr std::array<const char*, markKinds> texts{"keep", "may go", "not now"};
  return t(pick(texts, mark));
}

std::string KindWords::itemState(ItemState s) const {
  static constexpr std::array<const char*, itemStates> texts{
      "waiting",  "in the hold", "being removed", "gone", "being put back",
      "put back", "not touched", "missing",       "done", "not reached"};
  return t(pick(texts, s));
}

std::string KindWords::lineState(LineOutcome::State s) const {
  static constexpr std::array<const char*, lineStates> texts{"done", "done in part", "not done",
                                                             "not reached"};
  return t(pick(texts, s));
}

std::string KindWords::exception(SurveyException::Kind kind) const {
  static constexpr std::array<const char*, surveyExceptionKinds> texts{
      "could not be read", "vanished while measured", "another drive is mounted here",
      "was exchanged while measured; not entered", "the system did not answer in time; given up"};
  return t(pick(texts, kind));
}

std::string DriveWords::driveName(const Drive& d) const {
  if (!d.label.empty()) return escapePath(d.label);
  if (d.target == "/" || (d.liveSystem && d.role == DriveRole::system))
    return t("this machine's system drive");
  if (!d.model.empty()) return escapePath(d.model);
  const auto name = baseName(d.target);
  return name.empty() ? t("drive of %1", {bytes(d.usage.capacity)}) : escapePath(name);
}

std::string DriveWords::driveLine(const Drive& d) const {
  if (!d.answers) return t("does not answer");
  std::string text = role(d.role) + " · " + kind(d.kind);
  if (d.family() != SystemFamily::none && d.role != DriveRole::system) text += " · " + family(d.family());
  return text + " · " + bytes(d.usage.capacity);
}

std::string DriveWords::targetName(const Target& target) const {
  switch (target.origin) {
    case TargetOrigin::task:
      return target.label.empty() ? target.amount : escapePath(target.label);
    case TargetOrigin::tenPercent:
      return t("10 % rule");
    case TargetOrigin::fifteenRotating:
      return t("15 % rule");
    case TargetOrigin::quarterSolidState:
      return t("25 % rule");
    case TargetOrigin::tenGigabytes:
      return t("10 GB rule");
  }
  return {};
}

std::string DriveWords::targetReason(const Target& target) const {
  switch (target.origin) {
    case TargetOrigin::task:
      if (target.whileItRuns) return t("needed by a task, only while it runs");
      return target.amount.find('%') == std::string::npos ? t("needed by a task")
                                                          : t("the house's own share");
    case TargetOrigin::tenPercent:
      return t("room for working files, and for files to lie in one piece");
    case TargetOrigin::fifteenRotating:
      return t("a rotating drive slows down when files lie in pieces");
    case TargetOrigin::quarterSolidState:
      return t("a solid-state drive needs spare blocks to spread its wear");
    case TargetOrigin::tenGigabytes:
      return t("enough for updates, for now");
  }
  return {};
}

}  // namespace zt
