// SPDX-License-Identifier: GPL-3.0-or-later
// The words for finds: titles, evidence, what is lost; and for what a plan and a proof say of them.
#include <algorithm>
#include <map>
#include <set>

#include "words/words.h"

namespace zt {

namespace {
const Place* placeFor(const Find& f) {
  return placeOf(f, *KnownPlaces::builtIn());
}

bool ofPlaces(const Find& f) {
  static const std::set<std::string_view> kinds{"leftovers", "caches", "memory-files", "components",
                                                "packages"};
  return kinds.contains(f.kind);
}

/// In whose home a thing lies, and of which program as far as its folders say; nothing elsewhere.
std::pair<PathBytes, PathBytes> whose(const PathBytes& place) {
  const auto parts = splitPath(place);
  const std::size_t home = parts.empty()                                                     ? 0
                           : parts[0] == "root"                                              ? 1
                           : (parts[0] == "home" || parts[0] == "Users") && parts.size() > 1 ? 2
                                                                                             : 0;
  if (home == 0) return {};
  static const std::set<std::string> rooms{".cache",
                                           ".config",
                                           ".local",
                                           "share",
                                           ".var",
                                           "app",
                                           "snap",
                                           "appdata",
                                           "local",
                                           "roaming",
                                           "locallow",
                                           "packages",
                                           "library",
                                           "caches",
                                           "application support",
                                           "containers",
                                           "group containers",
                                           "google",
                                           "microsoft",
                                           "mozilla",
                                           "developer"};
  for (std::size_t i = home; i + 1 < parts.size(); ++i)
    if (!rooms.contains(lowered(parts[i]))) return {PathBytes(parts[home - 1]), PathBytes(parts[i])};
  return {PathBytes(parts[home - 1]), {}};
}
}  // namespace

std::string FindWords::findTitle(const Find& f) const {
  if (f.kind == "old") return t("old files in %1", {path(f.place)});
  if (f.kind == "trash") {
    const auto parts = splitPath(f.place);
    const bool home = parts.size() > 1 && (parts[0] == "home" || parts[0] == "Users");
    const auto last = baseName(f.place);
    // Of a security identifier the last number tells the users of one drive apart.
    const std::string whose = home ? path(parts[1])
                              : last.starts_with("S-1-")
                                  ? t("user %1", {path(last.substr(last.rfind('-') + 1))})
                                  : path(f.place);
    const std::string when = textIn(f, "thrown-away");
    if (when.empty()) return t("trash · %1", {whose});
    return when == "long-ago" ? t("trash · %1, thrown away long ago", {whose})
                              : t("trash · %1, thrown away lately", {whose});
  }
  if (f.kind == "arrivals")
    return textIn(f, "arrived") == "can-be-fetched"
               ? t("arrivals that can be fetched again · %1", {path(f.place)})
               : t("arrivals · %1", {path(f.place)});
  if (const auto kernel = textIn(f, "kernel-version"); !kernel.empty())
    return t("superseded kernel %1", {kernel});
  if (f.kind == "programs") return path(baseName(whereIs(f)));
  if (numberIn(f, "whole-folder") == 1) return t("a copy of the folder %1", {textIn(f, "keeper")});
  if (numberIn(f, "whole-folder") == 2) return path(f.items.front().path);
  if (f.kind == "points" && !f.offers.empty() && f.offers.front().action == "advise")
    return counted(f.items.size(), "%1 restore point in %2", "%1 restore points in %2", {path(f.place)});
  if (f.kind == "points")
    return counted(f.items.size(), "%1 snapshot in %2", "%1 snapshots in %2", {path(f.place)});
  if (f.kind == "duplicates") return t("copies of %1", {textIn(f, "keeper")});
  if (f.kind == "namesakes") return t("%1 files named %2", {number(f.items.size()), path(f.place)});
  if (f.kind == "stale-backups" && f.items.size() > 1) return t("dated copies in %1", {path(f.place)});
  if (std::string own = textIn(f, "what"); !own.empty()) return said(own);
  if (const Place* place = ofPlaces(f) ? placeFor(f) : nullptr; place != nullptr && !place->what.empty()) {
    const auto [who, program] = whose(f.place);
    const std::string what = hasFact(f, "personal-files") && place->whole && place->regret == Regret::wayBack
                                 ? t("What persons left in an earlier system")
                                 : said(place->what);
    if (who.empty()) return what;
    return program.empty() ? t("%1 · %2", {what, path(who)})
                           : t("%1 · %2, %3", {what, path(who), path(program)});
  }
  return f.items.empty() ? path(f.place) : path(f.items.front().path);
}

std::string FindWords::findNote(const Find& f) const {
  if (f.kind == "large") return t("large file, %1", {sinceModified(f.band)});
  if (f.kind == "old") return files(f.files) + ", " + sinceModified(f.band);
  if (f.kind == "dormant") return t("dormant: %1, %2", {files(f.files), sinceModified(f.band)});
  if (f.kind == "trash") return t("%1 thrown away", {things(thrownAway(f))});
  if (numberIn(f, "whole-folder") == 2)
    return t("all of it is in %1, too; %2", {textIn(f, "keeper"), files(f.files)});
  if (numberIn(f, "whole-folder") == 1) return t("a whole folder, %1", {files(f.files)});
  if (f.kind == "duplicates")
    return f.items.size() == 1
               ? t("one copy, %1", {bytes(numberIn(f, "bytes-each"))})
               : t("%1 copies, %2 each", {number(f.items.size()), bytes(numberIn(f, "bytes-each"))});
  if (f.kind == "points" && hasFact(f, "bytes-not-known"))
    return t("what they hold can be told with rights only");
  if (f.kind == "points" && hasFact(f, "writable-unchanged"))
    return t("writable, not written to since they were made");
  if (f.kind == "points")
    return numberIn(f, "points-stay") == 1 ? t("the newest one stays")
                                           : t("%1 others stay", {number(numberIn(f, "points-stay"))});
  if (f.kind == "namesakes") return t("different content; the newest first");
  if (f.kind == "images")
    return !hasFact(f, "inside")
               ? t("%1 disk, %2 outside", {textIn(f, "format"), bytes(numberIn(f, "outside"))})
               : t("%1 disk, %2 outside, %3 used inside",
                   {textIn(f, "format"), bytes(numberIn(f, "outside")), bytes(numberIn(f, "inside"))});
  if (f.kind == "arrivals") return files(f.files) + ", " + sinceModified(f.band);
  if (f.kind == "programs") {
    const std::string wanted = textIn(f, "wanted");
    if (wanted == "by-hand") return t("program, wanted by somebody; %1", {files(f.files)});
    if (wanted == "unused") return t("runtime that no installed application names; %1", {files(f.files)});
    if (wanted == "pulled-in") return t("program, pulled in by another; %1", {files(f.files)});
    if (wanted == "needed-by-the-system") return t("program that the system needs; %1", {files(f.files)});
  }
  if (textIn(f, "wanted") == "disabled")
    return t("revision %1, switched off: the one before can be gone back to", {textIn(f, "package-version")});
  if (textIn(f, "wanted") == "unused")
    return t("runtime that no installed application names; %1", {files(f.files)});
  if (hasFact(f, "younger-than")) return t("too young to go by itself: %1", {path(whereIs(f))});
  if (hasFact(f, "among-newest")) return t("the newest, which stays by itself: %1", {path(whereIs(f))});
  if (ofPlaces(f)) return path(whereIs(f)) + ", " + files(f.files);
  return findKind(f.kind) + ", " + files(f.files);
}

/// Things, and not their records.
std::size_t FindWords::thrownAway(const Find& f) {
  const auto records = std::count_if(f.items.begin(), f.items.end(), [](const Subject& s) {
    const auto name = baseName(s.path);
    return name.ends_with(".trashinfo") || name.starts_with("$I");
  });
  return f.items.size() - static_cast<std::size_t>(records);
}

std::string FindWords::whyHere(const Find& f) const {
  static const std::map<std::string_view, const char*> texts{
      {"large", "one of the largest files of the drive"},
      {"old", "these files are older than a year by their modification time"},
      {"dormant", "nothing in this folder was modified for more than a year"},
      {"trash", "thrown away, but it still occupies the drive"},
      {"leftovers", "it was left behind, and serves nothing any more as far as is known"},
      {"caches", "it is kept for speed and can be made again"},
      {"packages", "it is left from the installation of packages"},
      {"programs", "one of the largest programs of the drive"},
      {"arrivals", "it arrived in the folder for downloads"},
      {"stale-backups", "a copy that nobody has written to for half a year or more"},
      {"memory-files", "it stands in for memory, and is made by the system"},
      {"components", "a part of the system or of a program that can be big; measured only"},
      {"duplicates", "equal, byte for byte as far as digests tell, to a file that stays"},
      {"namesakes", "files of one name that are not the same"},
      {"images", "by its content it is the disk of another machine"},
      {"points", "earlier states of the drive: they hold what was changed or deleted since"},
      {"many-small", "thousands of small files that matter only in sum"},
      {"picked", "someone picked it"}};
  const auto known = texts.find(f.kind);
  std::string why = known == texts.end() ? findKind(f.kind) : t(known->second);
  for (const Fact& fact : f.facts)
    if (fact.id == "also")
      if (const auto* kind = std::get_if<std::string>(&fact.value)) why += t("; also %1", {findKind(*kind)});
  return why;
}

std::string FindWords::gainNote(const Gain& gain) const {
  if (gain.when == GainTime::onRelease) return t("freed when released");
  if (gain.when == GainTime::atRestart) return t("freed at restart");
  if (gain.when == GainTime::untilNextStart) return t("freed until the next start");
  if (gain.when == GainTime::later) return t("at most, later: by its own system");
  if (gain.sure == gain.atMost) return t("sure, freed at once");
  if (gain.sure == 0) return t("at most: others may hold it too");
  return t("at most; sure %1", {bytes(gain.sure)});
}

std::string PlanWords::refillNote(const PlannedGain& gain) const {
  if (!gain.refillKnown)
    return t(
        "Nothing is sure: the file system keeps room back for itself or for root, it is used up, and by how "
        "much "
        "it does not say. That fills up first.");
  if (gain.refills == 0) return {};
  return t("%1 more come free and fill up what the file system keeps back, which is used up.",
           {bytes(gain.refills)});
}

std::string PlanWords::loss(const StepKind* step, Regret regret) const {
  if (step != nullptr && !step->loss.empty()) return t(step->loss.c_str());
  switch (regret) {
    case Regret::none:
      return t("goes, and nothing is lost");
    case Regret::timeOrBandwidth:
      return t("goes; comes back at the cost of waiting");
    case Regret::wayBack:
      return t("goes, and with it a way back");
    case Regret::personalMoved:
      return t("moves");
    case Regret::personalGone:
      return t("goes for good");
  }
  return {};
}

std::string PlanWords::consent(const Consent::Line& line) const {
  std::string text = loss(line.step.get(), line.regret) + ": " + path(line.example);
  if (line.items > 1) text += t(" and %1 more", {number(line.items - 1)});
  text += ", " + bytes(line.bytes);
  if (!line.parameters.empty()) text += "; " + told(line.parameters);
  const std::string lost = losses(line.lost);
  return lost.empty() ? text : text + t("; lost with it: %1", {lost});
}

std::string PlanWords::told(const StepParameters& parameters) const {
  std::string text;
  for (const auto& [id, value] : parameters.all()) {
    text += (text.empty() ? "" : ", ") + id + ": ";
    if (const auto* count = std::get_if<std::uint64_t>(&value)) text += number(*count);
    if (const auto* place = std::get_if<StepParameters::Place>(&value)) text += path(place->path);
    if (const auto* said = std::get_if<std::string>(&value)) text += *said;
  }
  return text;
}

std::string PlanWords::losses(const Losses& lost) const {
  std::string text;
  const auto add = [&](const std::string& piece) { text += (text.empty() ? "" : "; ") + piece; };
  for (const Losses::Known& known : lost.known) {
    // In another language its letters are as they are there.
    const Losses::Known theirs{said(known.what), said(known.lost)};
    add(theirs == known       ? known.text()
        : theirs.lost.empty() ? theirs.what
                              : theirs.what + ": " + theirs.lost);
  }
  const auto count = [&](FileKind kind, const char* one, const char* many) {
    if (const auto n = lost.files[static_cast<std::size_t>(kind)]; n > 0) add(counted(n, one, many));
  };
  count(FileKind::document, "1 document", "%1 documents");
  count(FileKind::picture, "1 picture", "%1 pictures");
  count(FileKind::video, "1 film", "%1 films");
  count(FileKind::sound, "1 sound", "%1 sounds");
  count(FileKind::archive, "1 archive", "%1 archives");
  if (lost.lastCopies > 0)
    add(counted(lost.lastCopies, "the last copy of 1 content", "the last copies of %1 contents") + ": " +
        path(lost.lastCopy));
  if (lost.unjudged > 0)
    add(counted(lost.unjudged, "1 file that nobody has judged", "%1 files that nobody has judged"));
  return text;
}

std::string PlanWords::ladder(const Ladder& l) const {
  std::string text;
  const auto add = [&](const std::string& piece) { text += (text.empty() ? "" : " · ") + piece; };
  for (std::size_t i = 0; i < l.rungs.size(); ++i) {
    if (l.rungs[i].steps == 0) continue;
    const std::string amount = bytes(l.rungs[i].adds);
    add(regret(static_cast<Regret>(i)) + (text.empty() ? " " : " +") + amount);
  }
  if (l.laterSteps > 0) add(t("later, by its own system %1 at most", {bytes(l.later)}));
  if (l.decisions > 0) add(counted(l.decisions, "1 decision of yours", "%1 decisions of yours"));
  return text;
}

std::string PlanWords::alternative(std::string_view id) const {
  if (id == "fewest-steps") return t("fewest steps");
  if (id == "no-regret") return t("nothing that anybody would miss");
  return id == "nothing-leaves" ? t("nothing leaves the drive for another") : t("least regret");
}

std::string PlanWords::leftOut(std::string_view why) const {
  if (why == "kept") return t("somebody said keep");
  if (why == "overlaps") return t("goes with something that is on it, or holds it");
  if (why == "person") return t("only a person may decide it");
  if (why == "not-sure") return t("nothing of it is sure");
  return why == "regret" ? t("more to regret than is allowed") : t("not needed");
}

std::string PlanWords::lines(std::size_t count) const {
  return counted(count, "1 line", "%1 lines");
}

std::string PlanWords::lastResort(std::string_view id) const {
  static const std::map<std::string_view, const char*> texts{
      {"programs", "programs that are not needed now: by their own removal; to be installed again"},
      {"memory-files", "memory files: switched off on their own system; less room for programs"},
      {"move", "what is personal, to another drive: only once a second copy was made and compared"}};
  const auto known = texts.find(id);
  return known == texts.end() ? std::string(id) : t(known->second);
}

std::string PlanWords::lineCondition(std::string_view id) const {
  static const std::map<std::string_view, const char*> texts{
      {"not-idle", "first: its program has to be closed"},
      {"not-live", "only while its own system runs"},
      {"not-off", "only while its own system does not run"},
      {"open", "open now: comes free when that ends"},
      {"needs-rights", "needs an administrator's rights"},
      {"restart", "what it gives comes with the next restart"},
      {"its-own-system", "to be done by its own system"}};
  const auto known = texts.find(id);
  return known == texts.end() ? std::string(id) : t(known->second);
}

std::string FindWords::closedBecause(const Offer& offer) const {
  for (const std::string& condition : offer.conditions) {
    if (condition == "locked") return t("not offered: it is locked");
    if (condition == "fixed") return t("not offered: it cannot be removed with these rights");
    if (condition == "not-idle") return t("not offered now: its program runs, or has something of it open");
    if (condition == "not-here") return t("not offered: it is not in use here");
    if (condition == "not-live") return t("not offered: only its own running system can do it");
    if (condition == "not-off") return t("not offered: its system is the one that runs");
    if (condition == "not-yet" && offer.action == "compact")
      return t("not offered: its own program makes it compact");
    if (condition == "not-yet" && offer.gain.atMost > 0)
      return offer.gain.sure == offer.gain.atMost
                 ? t("would free %1; this version cannot do it yet", {bytes(offer.gain.sure)})
                 : t("would free %1 at most; this version cannot do it yet", {bytes(offer.gain.atMost)});
    if (condition == "not-yet") return t("not offered: this version cannot do it yet");
  }
  return t("not offered");
}

std::string PlanWords::decision(const Decision& d, TimeNs now) const {
  std::string text = d.standing == Standing::unjudged ? t("%1; nobody has judged it", {findKind(d.kind)})
                                                      : t("%1; its owner's to decide", {findKind(d.kind)});
  if (d.untouched != 0 && now - d.untouched > 30 * nsPerDay)
    text += t("; untouched for %1", {age(d.untouched, now)});
  if (d.comesAgain) text += t("; can be fetched again");
  if (!d.perhapsOn.empty()) text += t("; perhaps also on %1", {d.perhapsOn});
  if (!d.perhapsCopy.empty())
    text += t("; perhaps also at %1 (same name and length, not compared)", {path(d.perhapsCopy)});
  return text;
}

std::string PlanWords::restart(Restart r) const {
  switch (r) {
    case Restart::notNeeded:
      return {};
    case Restart::happened:
      return t("This machine was restarted since. What comes with a restart is in these figures.");
    case Restart::unseen:
      return t(
          "Some of it comes only when the system on this drive was restarted. Measure again after that.");
    case Restart::waiting:
      return t("Some of it comes only with a restart of this machine, and it was not restarted yet.");
  }
  return {};
}

std::string PlanWords::reason(const ProofReason& r) const {
  using Kind = ProofReason::Kind;
  const std::string amount = r.bytes == 0 ? std::string{} : signedBytes(r.bytes) + ": ";
  switch (r.kind) {
    case Kind::notDone:
      return amount + problem(r.code.value_or(Errc::io), r.detail);
    case Kind::notReached:
      return amount + t("the run was stopped before it");
    case Kind::held:
      return t("%1 in the hold; comes free when released", {bytes(static_cast<Bytes>(-r.bytes))});
    case Kind::putBack:
      return amount + t("put back");
    case Kind::linksRemain:
      return amount + t("further names outside the plan keep it");
    case Kind::cameBack:
      return t("something stands at the old place again");
    case Kind::stillOpen:
      return amount + t("still open in %1; comes free when that ends", {r.detail});
    case Kind::lessOccupied:
      return amount + t("it occupied something else when it went");
    case Kind::released:
      return amount + t("released since");
    case Kind::sharedFreed:
      return amount + t("was at most to come free, and did");
    case Kind::refilled:
      return amount + t("filled up what the file system keeps back, which was used up");
    case Kind::otherwise:
      return amount +
             (r.detail == noRoomBeside
                  ? t("there was no room for a new one beside it; its zeros were given back where it lies")
                  : r.detail);
    case Kind::driveDiffers:
      return amount + t("by the drive's counter: its own structures, or others meanwhile");
  }
  return {};
}

}  // namespace zt
