// SPDX-License-Identifier: GPL-3.0-or-later
// The words for finds: titles, evidence, what is lost; and for what a plan and a proof say of them.
#include <map>

#include "words/words.h"

namespace zt {

std::string Words::findTitle(const Find& f) const {
  if (f.kind == "old") return t("old files in %1", {path(f.place)});
  if (f.kind == "trash") {
    const auto parts = splitPath(f.place);
    return t("trash · %1", {parts.size() > 1 && parts[0] == "home" ? path(parts[1]) : path(f.place)});
  }
  return f.items.empty() ? path(f.place) : path(f.items.front().path);
}

std::string Words::findNote(const Find& f) const {
  if (f.kind == "large") return t("large file, %1", {sinceModified(f.band)});
  if (f.kind == "old") return files(f.files) + ", " + sinceModified(f.band);
  if (f.kind == "dormant") return t("dormant: %1, %2", {files(f.files), sinceModified(f.band)});
  if (f.kind == "trash") return t("%1 thrown away", {things((f.items.size() + 1) / 2)});
  return findKind(f.kind) + ", " + files(f.files);
}

std::string Words::whyHere(const Find& f) const {
  static const std::map<std::string_view, const char*> texts{
      {"large", "one of the largest files of the drive"},
      {"old", "these files are older than a year by their modification time"},
      {"dormant", "nothing in this folder was modified for more than a year"},
      {"trash", "thrown away, but it still occupies the drive"},
      {"picked", "someone picked it"}};
  const auto known = texts.find(f.kind);
  return known == texts.end() ? findKind(f.kind) : t(known->second);
}

std::string Words::gainNote(const Gain& gain) const {
  if (gain.when == GainTime::onRelease) return t("freed when released");
  if (gain.when == GainTime::atRestart) return t("freed at restart");
  if (gain.when == GainTime::untilNextStart) return t("freed until the next start");
  if (gain.sure == gain.atMost) return t("sure, freed at once");
  if (gain.sure == 0) return t("at most: others may hold it too");
  return t("at most; sure %1", {bytes(gain.sure)});
}

std::string Words::owner(const FindContext& context, std::uint32_t number) const {
  const auto name = context.options.owners.name(number);
  return name ? std::string(*name) : t("user %1", {std::to_string(number)});
}

std::vector<Said> Words::evidence(const Find& f, const FindContext& c) const {
  std::vector<Said> all;
  all.push_back({t("Why here"), whyHere(f)});
  const PathBytes where = f.items.size() == 1 ? f.items.front().path : f.place;
  all.push_back({t("Where"), path(where)});
  all.push_back({t("Owner"), owner(c, f.owner)});
  std::string lost = f.standing == Standing::unjudged      ? t("unknown: nobody has looked at it yet")
                     : f.regret == Regret::none            ? t("nothing")
                     : f.regret == Regret::timeOrBandwidth ? t("time or bandwidth until it is there again")
                     : f.regret == Regret::wayBack         ? t("a way back")
                                                           : t("it is personal, and gone for good");
  all.push_back({t("Lost"), std::move(lost)});
  all.push_back(
      {t("Comes back"), f.standing == Standing::rebuilds ? t("by itself, when it is needed") : t("no")});
  std::string touched = t("modified %1 ago", {age(f.newest, c.survey.finished)});
  if (!c.options.keepsAccessTimes)
    touched += t("; access times are not kept on this drive");
  else if (f.accessed > 0)
    touched += t("; read %1 ago, as far as access times can be trusted",
                 {age(f.accessed * nsPerSecond, c.survey.finished)});
  all.push_back({t("Touched"), std::move(touched)});
  if (f.linksElsewhere > 0)
    all.push_back(
        {t("Other names"), t("%1 further names elsewhere keep part of it; that part does not come free",
                             {number(f.linksElsewhere)})});
  if (f.gain.sure < f.gain.atMost && f.gain.when == GainTime::now)
    all.push_back({t("Shared"), t("other files or snapshots may hold part of its extents: only %1 are sure",
                                  {bytes(f.gain.sure)})});
  if (const auto rest = numberIn(f, "left-out"); rest > 0)
    all.push_back({t("Not listed"), t("%1 smaller files", {number(rest)})});
  if (const auto rest = numberIn(f, "infos-not-read"); rest > 0)
    all.push_back(
        {t("Not read"), t("where %1 came from: reading it would set its access time", {things(rest)})});
  if (f.standing == Standing::bedrock)
    all.push_back({t("Locked"), t("the system needs it; it can be large without being wrong")});
  else
    all.push_back({t("Undo"), t("held things can be put back; discarded ones cannot")});
  return all;
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
  return text + ", " + bytes(line.bytes);
}

std::string Words::decision(const Decision& d) const {
  return d.standing == Standing::unjudged ? t("%1; nobody has judged it", {findKind(d.kind)})
                                          : t("%1; its owner's to decide", {findKind(d.kind)});
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
    case Kind::driveDiffers:
      return amount + t("by the drive's counter: its own structures, or others meanwhile");
  }
  return {};
}

}  // namespace zt
