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

/// What several things have in common, or the one thing.
PathBytes whereIs(const Find& f) {
  return f.items.size() == 1 ? f.items.front().path : f.place;
}

const char* keeperReason(const Find& f) {
  static const std::map<std::string_view, const char*> texts{
      {"said-keep", "somebody said keep of it"},
      {"cannot-go", "a system or program keeps it"},
      {"not-dated", "it lies in no dated copy"},
      {"not-arrived", "it was put somewhere, and not only fetched"},
      {"at-home", "it lies where somebody keeps his things"},
      {"holds-all", "it holds all of the other one, and perhaps more"},
      {"older", "it is the older one"},
      {"shorter-path", "its path is the shorter one"},
      {"first-of-equal", "nothing tells them apart but their names"}};
  const auto known = texts.find(textIn(f, "keeper-rule"));
  return known == texts.end() ? "it is the one that was chosen" : known->second;
}

bool ofPlaces(const Find& f) {
  static const std::set<std::string_view> kinds{"leftovers", "caches", "memory-files", "components",
                                                "packages"};
  return kinds.contains(f.kind);
}
}  // namespace

std::string Words::findTitle(const Find& f) const {
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
    return t(f.items.size() == 1 ? "%1 restore point in %2" : "%1 restore points in %2",
             {number(f.items.size()), f.place.empty() ? "/" : path(f.place)});
  if (f.kind == "points")
    return t(f.items.size() == 1 ? "%1 snapshot in %2" : "%1 snapshots in %2",
             {number(f.items.size()), f.place.empty() ? "/" : path(f.place)});
  if (f.kind == "duplicates") return t("copies of %1", {textIn(f, "keeper")});
  if (f.kind == "namesakes") return t("%1 files named %2", {number(f.items.size()), path(f.place)});
  if (f.kind == "stale-backups" && f.items.size() > 1) return t("dated copies in %1", {path(f.place)});
  if (std::string own = textIn(f, "what"); !own.empty()) return own;
  if (ofPlaces(f))
    if (const Place* place = placeFor(f); place != nullptr && !place->what.empty()) return place->what;
  return f.items.empty() ? path(f.place) : path(f.items.front().path);
}

std::string Words::findNote(const Find& f) const {
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
  if (ofPlaces(f)) return path(whereIs(f)) + ", " + files(f.files);
  return findKind(f.kind) + ", " + files(f.files);
}

/// Things, and not their records.
std::size_t Words::thrownAway(const Find& f) {
  const auto records = std::count_if(f.items.begin(), f.items.end(), [](const Subject& s) {
    const auto name = baseName(s.path);
    return name.ends_with(".trashinfo") || name.starts_with("$I");
  });
  return f.items.size() - static_cast<std::size_t>(records);
}

std::string Words::whyHere(const Find& f) const {
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

std::string Words::gainNote(const Gain& gain) const {
  if (gain.when == GainTime::onRelease) return t("freed when released");
  if (gain.when == GainTime::atRestart) return t("freed at restart");
  if (gain.when == GainTime::untilNextStart) return t("freed until the next start");
  if (gain.when == GainTime::later) return t("at most, later: by its own system");
  if (gain.sure == gain.atMost) return t("sure, freed at once");
  if (gain.sure == 0) return t("at most: others may hold it too");
  return t("at most; sure %1", {bytes(gain.sure)});
}

std::string Words::refillNote(const PlannedGain& gain) const {
  if (!gain.refillKnown)
    return t(
        "Nothing is sure: the file system keeps room back for itself or for root, it is used up, and by how "
        "much "
        "it does not say. That fills up first.");
  if (gain.refills == 0) return {};
  return t("%1 more come free and fill up what the file system keeps back, which is used up.",
           {bytes(gain.refills)});
}

std::string Words::owner(const FindContext& context, std::uint32_t number) const {
  const auto name = context.options.owners.name(number);
  return name ? std::string(*name) : t("user %1", {std::to_string(number)});
}

std::vector<Said> Words::evidence(const Find& f, const FindContext& c, const Evidence& e) const {
  std::vector<Said> all;
  const auto say = [&](const char* label, std::string text) {
    if (!text.empty()) all.push_back({t(label), std::move(text)});
  };
  if (e.place != nullptr) {
    const bool said = e.place->maker.empty() && e.place->what == findTitle(f);
    if (!said) say("What it is", e.place->what + (e.place->maker.empty() ? "" : "; " + e.place->maker));
  }
  say("Why here", whyHere(f));
  if (f.kind == "points") {
    sayOfPoints(f, c, all);
    return all;
  }
  if (f.kind != "namesakes" && findNote(f).find(path(whereIs(f))) == std::string::npos)
    say("Where", path(whereIs(f)));
  say("Owner", owner(c, f.owner) + (e.needsRights ? t("; removing it needs an administrator's rights") : ""));
  sayOfLoss(f, e, all);
  sayOfTimes(f, c, all);
  sayOfSize(f, e, all);
  sayOfHolders(f, c, all);
  sayOfKeeper(f, all);
  sayOfImage(f, all);
  if (f.kind != "duplicates" && f.kind != "namesakes") sayOfCopies(f, e, all);
  sayOfLimits(f, e, all);
  return all;
}

void Words::sayOfLoss(const Find& f, const Evidence& e, std::vector<Said>& all) const {
  if (f.kind == "images") {
    all.push_back({t("Lost"), t("nothing by making it compact; its machine by discarding it")});
    return;
  }
  const bool told = e.place != nullptr && (e.place->kind == f.kind || f.placeId == "superseded-kernels");
  const auto stays = static_cast<TimeNs>(numberIn(f, "newest-stays"));
  std::string lost = stays > 0
                         ? t("the ways back to before %1, the date of the last that stays", {date(stays)})
                     : told && !e.place->lost.empty()      ? e.place->lost
                     : f.standing == Standing::unjudged    ? t("unknown: nobody has looked at it yet")
                     : f.regret == Regret::none            ? t("nothing")
                     : f.regret == Regret::timeOrBandwidth ? t("time or bandwidth until it is there again")
                     : f.regret == Regret::wayBack         ? t("a way back")
                                                           : t("it is personal, and gone for good");
  const bool needed = f.standing == Standing::bedrock && !(told && !e.place->lost.empty());
  if (!needed) all.push_back({t("Lost"), std::move(lost)});
  std::string back = told && !e.place->back.empty()     ? e.place->back
                     : f.standing == Standing::rebuilds ? t("by itself, when it is needed")
                                                        : t("no");
  if (told && !e.place->cost.empty()) back += t("; the cost: %1", {e.place->cost});
  all.push_back({t("Comes back"), std::move(back)});
  if (const auto with = textIn(f, "goes-with"); !with.empty()) all.push_back({t("Goes with it"), with});
  if (!told) return;
  if (!e.place->words.empty()) all.push_back({t("On its own system"), e.place->words});
  const auto command = textIn(f, "command");
  const std::string& own = command.empty() ? e.place->command : command;
  if (!own.empty()) all.push_back({t("By its owner"), own});
}

void Words::sayOfTimes(const Find& f, const FindContext& c, std::vector<Said>& all) const {
  std::string touched = t("modified %1", {ago(f.newest, c.survey.finished)});
  if (!c.options.keepsAccessTimes)
    touched += t("; access times are not kept on this drive");
  else if (f.accessed > 0)
    touched += f.kind == "programs" ? t("; last run %1, as far as access times can be trusted",
                                        {ago(f.accessed * nsPerSecond, c.survey.finished)})
                                    : t("; read %1, as far as access times can be trusted",
                                        {ago(f.accessed * nsPerSecond, c.survey.finished)});
  all.push_back({t("Touched"), std::move(touched)});
}

void Words::sayOfSize(const Find& f, const Evidence& e, std::vector<Said>& all) const {
  if (e.size != SizeVerdict::unknown) {
    const std::string span = t("%1 to %2", {bytes(e.place->usual->least), bytes(e.place->usual->most)});
    all.push_back({t("Usual size"), e.size == SizeVerdict::large   ? t("%1; this is more than usual", {span})
                                    : e.size == SizeVerdict::small ? t("%1; this is less than usual", {span})
                                                                   : t("%1; this is normal", {span})});
  }
  if (const auto memory = numberIn(f, "installed-memory"); memory > 0)
    all.push_back({t("Memory"), t("%1 installed in this machine", {bytes(memory)})});
  if (f.linksElsewhere > 0)
    all.push_back(
        {t("Other names"), t("%1 further names elsewhere keep part of it; that part does not come free",
                             {number(f.linksElsewhere)})});
}

/// Who keeps its bytes from coming free.
void Words::sayOfHolders(const Find& f, const FindContext& c, std::vector<Said>& said) const {
  if (f.gain.when != GainTime::now) return;
  const FindContext::Pinned pinned = c.pinned(f.items);
  const GainModel::Keepers& keepers = pinned.by;
  const auto countOf = [&](const GainModel::Points& points) {
    return static_cast<std::uint64_t>(std::count(points.begin(), points.end(), true));
  };
  if (keepers.byPoints > 0) {
    const std::uint64_t all = countOf(keepers.points), may = countOf(pinned.mayGo);
    std::string text = t(all == 1 ? "by %1 snapshot: freed now %2" : "by %1 snapshots: freed now %2",
                         {number(all), bytes(f.gain.sure)});
    if (all == may)
      text += t(all == 1 ? ", with it %1" : ", with them %1", {bytes(pinned.with)});
    else if (pinned.helps)
      text += t(", with those of them that may go %1", {bytes(pinned.with)});
    else
      text += t("; one of them stays, and with it what it holds");
    said.push_back({t("Pinned"), std::move(text)});
  }
  if (keepers.byFiles > 0 && !keepers.files.empty()) {
    std::string where = path(c.tree.path(keepers.files.front()));
    if (keepers.files.size() > 1) where += t(" and others");
    said.push_back(
        {t("Shared"), t("%1 of it are held by %2 as well, and stay", {bytes(keepers.byFiles), where})});
  }
  const std::vector<NodeId> files = c.openIn(f.items);
  Bytes open = 0;
  for (const NodeId file : files) open += c.tree.weight(file);
  if (open > 0)
    said.push_back({t("Open"), t("%1 of it come free later: when %2 ends",
                                 {bytes(open), path(c.holderOf(files.front()))})});
  if (keepers.byOthers > 0)
    said.push_back({t("Held"), t("%1 of it are held by somebody who was not seen, or by another subvolume",
                                 {bytes(keepers.byOthers)})});
  const bool told = keepers.byPoints > 0 || keepers.byOthers > 0 || open > 0;
  if (f.gain.sure < f.gain.atMost && !told)
    said.push_back({t("Shared"), t("other files or snapshots may hold part of its extents: only %1 are sure",
                                   {bytes(f.gain.sure)})});
}

void Words::sayOfPoints(const Find& f, const FindContext& c, std::vector<Said>& all) const {
  TimeNs oldest = 0;
  Bytes alone = 0;
  for (const Subject& item : f.items) {
    oldest = oldest == 0 ? item.identity.modified : std::min(oldest, item.identity.modified);
    alone += item.occupied;
  }
  const TimeNs now = c.survey.finished;
  all.push_back({t("Taken"), t("%1 to %2", {ago(oldest, now), ago(f.newest, now)})});
  all.push_back({t("Alone"), t("each by itself gives %1 in all; together they give %2",
                               {bytes(alone), bytes(f.gain.sure)})});
  const auto stays = static_cast<TimeNs>(numberIn(f, "newest-stays"));
  if (hasFact(f, "writable-unchanged"))
    all.push_back(
        {t("Lost"), t("what works from them, if something does: a container, a machine, a system")});
  else
    all.push_back({t("Lost"),
                   t("the ways back to before %1, when the newest that stays was taken", {ago(stays, now)})});
  all.push_back({t("Comes back"), t("no")});
  const auto state = c.stateOf(f.items.front());
  if (!state || !c.points[*state].foreign) return;
  const auto& systems = c.places.systems();
  const bool mac = std::any_of(systems.begin(), systems.end(),
                               [](const SystemRoot& s) { return s.family == SystemFamily::mac; });
  all.push_back({t("On its own system"),
                 mac ? t("Disk Utility lists and removes them; by its owner: tmutil deletelocalsnapshots, "
                         "with the date")
                     : t("System Protection: Configure removes them, and its slider caps their share")});
}

void Words::sayOfCopies(const Find& f, const Evidence& e, std::vector<Said>& all) const {
  if (!e.namesakes.empty()) {
    std::string text = path(e.namesakes.front().path);
    if (e.namesakes.size() > 1) text += t(" and %1 more", {number(e.namesakes.size() - 1)});
    all.push_back({t("Perhaps copies"), t("%1: same name and length; the content was not compared", {text})});
  } else if (f.regret >= Regret::personalMoved && f.standing >= Standing::unjudged && f.files == 1) {
    all.push_back(
        {t("Copies"), e.elsewhere.empty()
                          ? t("none of that name and length on this drive, nor on one measured before")
                          : t("none of that name and length on this drive")});
  }
  if (!e.elsewhere.empty()) {
    const FileElsewhere& first = e.elsewhere.front().file;
    std::string text = first.drive + ": " + path(first.path);
    if (e.elsewhere.size() > 1) text += t(" and %1 more", {number(e.elsewhere.size() - 1)});
    all.push_back({t("Other drives"), first.equal
                                          ? t("%1; the same content when it was compared", {text})
                                          : t("%1; same name and length when it was measured", {text})});
  }
  if (e.onlyHere && f.items.size() == 1 && f.regret >= Regret::personalMoved)
    all.push_back({t("Only here"), t("no other drive that was compared has its content")});
}

/// Which of equal files stays, and why.
void Words::sayOfKeeper(const Find& f, std::vector<Said>& all) const {
  if (f.kind != "duplicates") return;
  all.push_back({t("Stays"), textIn(f, "keeper") + ": " + t(keeperReason(f))});
  if (numberIn(f, "whole-folder") > 0) {
    all.push_back(
        {t("Equal"), numberIn(f, "whole-folder") == 1
                         ? t("all names and all contents; compared byte by byte once more before it goes")
                         : t("each file of it is in the other, too, perhaps by another name; compared byte "
                             "by byte once more before it goes")});
    return;
  }
  all.push_back({t("Equal"), t("%1 files of %2; compared byte by byte once more before one goes",
                               {number(numberIn(f, "copies")), bytes(numberIn(f, "bytes-each"))})});
  if (const auto thrown = numberIn(f, "in-trash"); thrown > 0)
    all.push_back({t("In the trash"), t("%1 equal to it, which goes first, with the trash: %2",
                                        {files(thrown), textIn(f, "in-trash-at")})});
}

/// A disk image from outside and from inside.
void Words::sayOfImage(const Find& f, std::vector<Said>& all) const {
  if (f.kind != "images") return;
  std::string inside =
      hasFact(f, "inside")
          ? t("%1 used of %2", {bytes(numberIn(f, "inside")), bytes(numberIn(f, "guest-length"))})
          : t("cannot be told; its disk has %1", {bytes(numberIn(f, "guest-length"))});
  if (const std::string systems = textIn(f, "guest-systems"); !systems.empty())
    inside += " (" + systems + ")";
  all.push_back({t("Inside"), std::move(inside)});
  if (const std::string below = textIn(f, "backing"); !below.empty())
    all.push_back({t("Lies upon"), hasFact(f, "backing-not-read")
                                       ? t("%1, which is not on this drive or cannot be read", {below})
                                       : below});
  if (const auto kept = numberIn(f, "kept-states"); kept > 0)
    all.push_back({t("Keeps"), t("%1 earlier states inside it; they count as used", {number(kept)})});
  if (hasFact(f, "encrypted")) all.push_back({t("Encrypted"), t("what is inside cannot be read")});
  if (hasFact(f, "unclean"))
    all.push_back({t("Not closed"), t("it was not shut down properly; its figures may be behind")});
  if (hasFact(f, "in-use"))
    all.push_back({t("In use"), t("a program or a loop device has it open: stop its machine first")});
}

void Words::sayOfLimits(const Find& f, const Evidence& e, std::vector<Said>& all) const {
  if (const auto told = numberIn(f, "told-elsewhere"); told > 0)
    all.push_back({t("Told also"), t("%1 of it in finds of their own", {bytes(told)})});
  if (const auto rest = numberIn(f, "left-out"); rest > 0)
    all.push_back({t("Not listed"), t("%1 smaller files", {number(rest)})});
  if (const auto rest = numberIn(f, "left-young"); rest > 0)
    all.push_back({t("Left alone"), t("%1 touched too lately", {things(rest)})});
  if (const auto rest = numberIn(f, "left-foreign"); rest > 0)
    all.push_back({t("Left"), e.place != nullptr && !e.place->maker.empty()
                                  ? t("%1 that do not look like %2's", {number(rest), e.place->maker})
                                  : t("%1 that do not look like what is made there", {number(rest)})});
  if (hasFact(f, "not-its-makers"))
    all.push_back({t("Look first"), t("nothing in it looks like what is made there, so it is not judged")});
  if (const auto open = numberIn(f, "held-open"); open > 0)
    all.push_back({t("In use"), t("%1 held open by a program; left out", {files(open)})});
  if (const auto rest = numberIn(f, "cannot-go"); rest > 0)
    all.push_back({t("Cannot go"), t("%1 immutable, or in folders that nobody may write to with these rights",
                                     {things(rest)})});
  const bool restart = std::any_of(f.offers.begin(), f.offers.end(), [](const Offer& o) {
    return std::find(o.conditions.begin(), o.conditions.end(), "restart") != o.conditions.end();
  });
  if (restart) all.push_back({t("Restart"), t("what it gives comes only with one")});
  if (e.placeholders > 0)
    all.push_back({t("Not here"), t("%1 of which nothing is stored here: holes, or placeholders of what lies "
                                    "online; not opened",
                                    {files(e.placeholders)})});
  if (numberIn(f, "personal-files") > 0)
    all.push_back({t("Look first"), t("personal kinds of file lie in it, so it is not judged")});
  if (const auto rest = numberIn(f, "kept-things"); rest > 0)
    all.push_back({t("Kept"), t("%1 of it, as somebody said; left out here", {things(rest)})});
  if (const auto rest = numberIn(f, "newest-stay"); rest > 0)
    all.push_back({t("Stays"), t("the newest: %1", {things(rest)})});
  if (const auto rest = numberIn(f, "infos-not-read"); rest > 0)
    all.push_back({t("Not read"), t("where %1 came from", {things(rest)})});
  if (e.place != nullptr && !e.place->note.empty() && e.place->kind == f.kind)
    all.push_back({t("Mind"), e.place->note});
  if (f.standing == Standing::bedrock)
    all.push_back({t("Locked"), t("the system needs it; it can be large without being wrong")});
  else if (f.standing == Standing::kept)
    all.push_back(
        {t("Locked"), f.kind == "programs"
                          ? t("only its own removal takes it away; by hand it would leave pieces")
                          : t("it is kept: records, keys, settings or what somebody said keep of")});
  const bool holds =
      std::any_of(f.offers.begin(), f.offers.end(), [](const Offer& o) { return o.action == "hold"; });
  if (holds) all.push_back({t("Undo"), t("held things can be put back; discarded ones cannot")});
}

std::string Words::loss(std::string_view action, Regret regret) const {
  if (action == "hold") return t("set aside; can be put back");
  switch (regret) {
    case Regret::none:
      return t("removed");
    case Regret::timeOrBandwidth:
      return t("removed; comes back at the cost of waiting");
    case Regret::wayBack:
      return t("removed, and with it a way back");
    case Regret::personalMoved:
      return t("moved");
    case Regret::personalGone:
      return t("removed for good");
  }
  return {};
}

std::string Words::consent(const Consent::Line& line) const {
  std::string text = loss(line.action, line.regret) + ": " + path(line.example);
  if (line.items > 1) text += t(" and %1 more", {number(line.items - 1)});
  text += ", " + bytes(line.bytes);
  const std::string lost = losses(line.lost);
  return lost.empty() ? text : text + t("; lost with it: %1", {lost});
}

std::string Words::losses(const Losses& lost) const {
  std::string text;
  const auto add = [&](const std::string& piece) { text += (text.empty() ? "" : "; ") + piece; };
  for (const std::string& known : lost.known) add(known);
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

std::string Words::ladder(const Ladder& l) const {
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

std::string Words::closedBecause(const Offer& offer) const {
  for (const std::string& condition : offer.conditions) {
    if (condition == "locked") return t("not offered: it is locked");
    if (condition == "fixed") return t("not offered: it cannot be removed with these rights");
    if (condition == "not-idle") return t("not offered now: its program runs, or has something of it open");
    if (condition == "not-live") return t("not offered: only its own running system can do it");
    if (condition == "not-off") return t("not offered: its system is the one that runs");
    if (condition == "not-yet" && offer.gain.atMost > 0)
      return offer.gain.sure == offer.gain.atMost
                 ? t("would free %1; this version cannot do it yet", {bytes(offer.gain.sure)})
                 : t("would free %1 at most; this version cannot do it yet", {bytes(offer.gain.atMost)});
    if (condition == "not-yet") return t("not offered: this version cannot do it yet");
  }
  return t("not offered");
}

std::string Words::decision(const Decision& d, TimeNs now) const {
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

std::string Words::reason(const ProofReason& r) const {
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
    case Kind::driveDiffers:
      return amount + t("by the drive's counter: its own structures, or others meanwhile");
  }
  return {};
}

}  // namespace zt
