// SPDX-License-Identifier: GPL-3.0-or-later
// The words for what is known of a find: evidence, line by line.
#include <algorithm>
#include <map>

#include "words/words.h"

namespace zt {

namespace {
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
}  // namespace

std::string FindWords::owner(const FindContext& context, std::uint32_t number) const {
  const auto name = context.options.owners.name(number);
  return name ? std::string(*name) : t("user %1", {std::to_string(number)});
}

std::vector<Said> FindWords::evidence(const Find& f, const FindContext& c, const Evidence& e) const {
  std::vector<Said> all;
  const auto say = [&](const char* label, std::string text) {
    if (!text.empty()) all.push_back({t(label), std::move(text)});
  };
  // What the title says already is not said again.
  const std::string title = findTitle(f);
  if (e.place != nullptr) {
    if (!title.starts_with(said(e.place->what)))
      say("What it is", said(e.place->what) + (e.place->maker.empty() ? "" : "; " + e.place->maker));
    else
      say("Made by", e.place->maker);
  }
  say("Why here", whyHere(f));
  if (f.kind == "points") {
    sayOfPoints(f, c, all);
    return all;
  }
  const std::string where = path(whereIs(f));
  if (f.kind != "namesakes" && findNote(f).find(where) == std::string::npos &&
      title.find(where) == std::string::npos)
    say("Where", where);
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

void FindWords::sayOfLoss(const Find& f, const Evidence& e, std::vector<Said>& all) const {
  if (f.kind == "images") {
    all.push_back({t("Lost"), t("nothing by making it compact; its machine by discarding it")});
    return;
  }
  const bool program = f.kind == "programs" || f.kind == "packages";
  const bool told = e.place != nullptr && (e.place->kind == f.kind || f.placeId == "superseded-kernels" ||
                                           (program && e.place->kind.empty()));
  const auto stays = static_cast<TimeNs>(numberIn(f, "newest-stays"));
  std::string lost = stays > 0
                         ? t("the ways back to before %1, the date of the last that stays", {date(stays)})
                     : told && !e.place->lost.empty()      ? said(e.place->lost)
                     : f.standing == Standing::unjudged    ? t("unknown: nobody has looked at it yet")
                     : f.regret == Regret::none            ? t("nothing")
                     : f.regret == Regret::timeOrBandwidth ? t("time or bandwidth until it is there again")
                     : f.regret == Regret::wayBack         ? t("a way back")
                                                           : t("it is personal, and gone for good");
  const bool needed = f.standing == Standing::bedrock && !(told && !e.place->lost.empty());
  if (!needed) all.push_back({t("Lost"), std::move(lost)});
  std::string back = told && !e.place->back.empty()     ? said(e.place->back)
                     : f.standing == Standing::rebuilds ? t("by itself, when it is needed")
                                                        : t("no");
  if (told && !e.place->cost.empty()) back += t("; the cost: %1", {said(e.place->cost)});
  all.push_back({t("Comes back"), std::move(back)});
  if (const auto with = textIn(f, "goes-with"); !with.empty()) all.push_back({t("Goes with it"), with});
  if (told && !e.place->words.empty())
    all.push_back({t("On its own system"),
                   f.kind == "programs" ? t("%1: %2", {said(e.place->words), path(baseName(whereIs(f)))})
                                        : said(e.place->words)});
  std::string own = textIn(f, "command");
  if (own.empty() && told) own = e.place->command;
  if (hasFact(f, "maker-gone"))
    all.push_back({t("Its maker"), t("%1 is on this drive no more: nobody adds to it, and nobody removes it",
                                     {textIn(f, "maker-gone")})});
  else if (!own.empty())
    all.push_back({t("By its owner"), std::move(own)});
  if (told && e.place->lasts == Lasts::nextStart)
    all.push_back({t("Lasts"), t("until the next start: then it is made again")});
  else if (told && e.place->lasts == Lasts::refills)
    all.push_back({t("Lasts"), t("it grows again with use")});
}

void FindWords::sayOfTimes(const Find& f, const FindContext& c, std::vector<Said>& all) const {
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

void FindWords::sayOfSize(const Find& f, const Evidence& e, std::vector<Said>& all) const {
  if (e.size != SizeVerdict::unknown) {
    const std::string span = t("%1 to %2", {bytes(e.place->usual->least), bytes(e.place->usual->most)});
    all.push_back({t("Usual size"), e.size == SizeVerdict::large   ? t("%1; this is more than usual", {span})
                                    : e.size == SizeVerdict::small ? t("%1; this is less than usual", {span})
                                                                   : t("%1; this is normal", {span})});
  }
  if (f.kind == "memory-files") sayOfMemory(f, all);
  if (f.linksElsewhere > 0)
    all.push_back(
        {t("Other names"), t("%1 further names elsewhere keep part of it; that part does not come free",
                             {number(f.linksElsewhere)})});
}

/// Whether a memory file is in use, what set it up, and how it stands to the memory.
void FindWords::sayOfMemory(const Find& f, std::vector<Said>& all) const {
  if (const auto memory = numberIn(f, "installed-memory"); memory > 0) {
    const auto percent =
        static_cast<std::uint64_t>(100.0 * static_cast<double>(f.gain.atMost) / static_cast<double>(memory));
    all.push_back({t("Memory"), t("%1 installed in this machine; the file is %2 % of it",
                                  {bytes(memory), number(percent)})});
  }
  const std::string use = textIn(f, "memory-use"), by = textIn(f, "memory-set-up"),
                    session = textIn(f, "memory-session");
  if (!use.empty())
    all.push_back({t("In use"), use == "now" ? t("yes: memory lies in it now") : t("not now")});
  if (!by.empty())
    all.push_back({t("Set up"), by == "fstab"  ? t("in etc/fstab: it is used from every start on")
                                : by == "unit" ? t("by a unit of its own: it is used from every start on")
                                               : t("by nothing: no start uses it")});
  if (hasFact(f, "memory-resume"))
    all.push_back({t("Feature"), t("hibernation: the system looks for a saved session when it starts")});
  if (!session.empty())
    all.push_back({t("Feature"), session == "saved"
                                     ? t("hibernation and fast start: a session is saved in it now")
                                     : t("hibernation and fast start: no session is saved in it")});
}

/// Who keeps its bytes from coming free.
void FindWords::sayOfHolders(const Find& f, const FindContext& c, std::vector<Said>& said) const {
  if (f.gain.when != GainTime::now) return;
  const FindContext::Pinned pinned = c.pinned(f.items);
  const GainModel::Keepers& keepers = pinned.by;
  const auto countOf = [&](const GainModel::Points& points) {
    return static_cast<std::uint64_t>(std::count(points.begin(), points.end(), true));
  };
  if (keepers.byPoints > 0) {
    const std::uint64_t all = countOf(keepers.points), may = countOf(pinned.mayGo);
    std::string text =
        counted(all, "by %1 snapshot: freed now %2", "by %1 snapshots: freed now %2", {bytes(f.gain.sure)});
    if (all == may)
      text += counted(all, ", with it %2", ", with them %2", {bytes(pinned.with)});
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

void FindWords::sayOfPoints(const Find& f, const FindContext& c, std::vector<Said>& all) const {
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

void FindWords::sayOfCopies(const Find& f, const Evidence& e, std::vector<Said>& all) const {
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
void FindWords::sayOfKeeper(const Find& f, std::vector<Said>& all) const {
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
void FindWords::sayOfImage(const Find& f, std::vector<Said>& all) const {
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

void FindWords::sayOfLimits(const Find& f, const Evidence& e, std::vector<Said>& all) const {
  if (const auto told = numberIn(f, "told-elsewhere"); told > 0)
    all.push_back({t("Told also"), t("%1 of it in finds of their own", {bytes(told)})});
  if (const auto rest = numberIn(f, "left-out"); rest > 0)
    all.push_back({t("Not listed"), t("%1 smaller files", {number(rest)})});
  if (const auto rest = numberIn(f, "left-young"); rest > 0)
    all.push_back({t("Left alone"), t("%1 touched too lately", {things(rest)})});
  if (numberIn(f, "among-newest") > 0)
    all.push_back({t("Decide"), t("the newest of its kind stay by themselves; these are among them")});
  if (const auto days = numberIn(f, "younger-than"); days > 0)
    all.push_back({t("Decide"), t("made, changed or written to in the last %1 days: left alone by itself",
                                  {number(days)})});
  if (const auto who = textIn(f, "owner-runs"); !who.empty())
    all.push_back({t("Decide"), t("%1 runs: close it before this is carried out", {who})});
  if (const auto rest = numberIn(f, "left-foreign"); rest > 0)
    all.push_back({t("Left"), e.place != nullptr && !e.place->maker.empty()
                                  ? t("%1 that do not look like %2's", {number(rest), e.place->maker})
                                  : t("%1 that do not look like what is made there", {number(rest)})});
  if (const auto along = numberIn(f, "takes-along"); along > 0)
    all.push_back(
        {t("Look first"),
         t("its own system takes along what persons left in it, %1: save that first", {things(along)})});
  if (hasFact(f, "not-its-makers"))
    all.push_back({t("Look first"), t("nothing in it looks like what is made there, so it is not judged")});
  if (const auto open = numberIn(f, "held-open"); open > 0)
    all.push_back(
        {t("In use"), t("%1 held open by %2; left out", {files(open), path(textIn(f, "held-by"))})});
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
    all.push_back({t("Mind"), said(e.place->note)});
  if (f.standing == Standing::bedrock)
    all.push_back({t("Locked"), t("the system needs it; it can be large without being wrong")});
  else if (f.standing == Standing::kept)
    all.push_back(
        {t("Locked"), f.kind == "programs"
                          ? t("only its own removal takes it away; by hand it would leave pieces")
                          : t("it is kept: records, keys, settings or what somebody said keep of")});
  const bool holds =
      std::any_of(f.offers.begin(), f.offers.end(), [](const Offer& o) { return o.canReturn; });
  if (holds) all.push_back({t("Undo"), t("held things can be put back; discarded ones cannot")});
}

}  // namespace zt
