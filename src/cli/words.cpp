// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/words.h"

#include <array>
#include <cstring>
#include <map>

namespace zt::cli {

std::string words(Errc problem) {
  switch (problem) {
    case Errc::notThere:
      return "it is not there";
    case Errc::notPermitted:
      return "the rights do not suffice";
    case Errc::notAFolder:
      return "it is not a folder";
    case Errc::notAFile:
      return "it is not a file";
    case Errc::taken:
      return "the name is in use already";
    case Errc::noSpace:
      return "there is no space left";
    case Errc::otherDevice:
      return "another drive or subvolume lies there";
    case Errc::outsideRoot:
      return "the path would leave the drive";
    case Errc::changed:
      return "it is not what was measured any more; measure again";
    case Errc::bedrock:
      return "the system needs it; it is locked";
    case Errc::inUse:
      return "it is in use";
    case Errc::badInput:
      return "it cannot be understood";
    case Errc::corrupt:
      return "the file is damaged";
    case Errc::notOurs:
      return "it is not a file of Zip Tally";
    case Errc::tooNew:
      return "it was written by a newer version";
    case Errc::conflict:
      return "another line of the plan does something else with it; drop that line first";
    case Errc::noConsent:
      return "it needs consent first";
    case Errc::tooManyOpen:
      return "too many files are open";
    case Errc::unsupported:
      return "the file system cannot do that";
    case Errc::cancelled:
      return "it was stopped";
    case Errc::onDrive:
      return "the job file would lie on the drive that is measured; give another place, or --job-on-drive";
    case Errc::busy:
      return "another program has it open";
    case Errc::imported:
      return "the survey was imported; it can be explored, not reclaimed by";
    case Errc::io:
      return "the system reports a failure";
  }
  return "the system reports a failure";
}

std::string sentence(const Error& error) {
  std::string text(error.operation);
  if (!error.path.empty()) text += " " + escapePath(error.path);
  text += ": " + words(error.code);
  if (!error.detail.empty()) text += " (" + error.detail + ")";
  if (error.code == Errc::io && error.sysErrno != 0)
    text += std::string(" (") + std::strerror(error.sysErrno) + ")";
  return text;
}

Exit exitFor(const Error& error) {
  switch (error.code) {
    case Errc::bedrock:
    case Errc::conflict:
    case Errc::outsideRoot:
    case Errc::noConsent:
    case Errc::onDrive:
    case Errc::changed:
    case Errc::inUse:
    case Errc::imported:
      return refused;
    case Errc::badInput:
      return usage;
    default:
      return failed;
  }
}

std::string words(Standing standing) {
  switch (standing) {
    case Standing::bedrock:
      return "bedrock";
    case Standing::kept:
      return "kept";
    case Standing::unjudged:
      return "unjudged";
    case Standing::ownersCall:
      return "owner's call";
    case Standing::rebuilds:
      return "rebuilds";
    case Standing::spent:
      return "spent";
  }
  return {};
}

std::string words(Regret regret) {
  switch (regret) {
    case Regret::none:
      return "nothing to regret";
    case Regret::timeOrBandwidth:
      return "time or bandwidth";
    case Regret::wayBack:
      return "a way back";
    case Regret::personalMoved:
      return "a personal thing that has moved";
    case Regret::personalGone:
      return "a personal thing that is gone";
  }
  return {};
}

namespace {
std::string bandWords(AgeBand band) {
  switch (band) {
    case AgeBand::today:
      return "a day";
    case AgeBand::week:
      return "a week";
    case AgeBand::month:
      return "a month";
    case AgeBand::halfYear:
      return "half a year";
    case AgeBand::year:
      return "a year";
    case AgeBand::threeYears:
      return "one to three years";
    case AgeBand::older:
      return "more than three years";
  }
  return {};
}
}  // namespace

std::string title(const Find& find) {
  const std::string first = find.items.empty() ? std::string{} : escapePath(find.items.front().path);
  switch (find.kind) {
    case FindKind::old:
      return "old files in " + (find.place.empty() ? "/" : escapePath(find.place));
    case FindKind::trash:
      return "trash " + escapePath(find.place);
    default:
      return first;
  }
}

std::string why(const Find& find) {
  const std::string files = std::to_string(find.files) + (find.files == 1 ? " file" : " files");
  switch (find.kind) {
    case FindKind::large:
      return "one of the largest files";
    case FindKind::old:
      return files + ", not modified for " + bandWords(find.band);
    case FindKind::dormant:
      return "nothing in it modified for " + bandWords(find.band) + "; " + files;
    case FindKind::trash:
      return std::to_string(find.items.size()) +
             " entries that somebody threw away and that still occupy the drive";
    case FindKind::picked:
      return "picked by hand";
  }
  return {};
}

std::string words(LineSource source) {
  static constexpr std::array<const char*, lineSources> text{
      "not looked at",
      "by the file system's counters",
      "every entry asked",
      "by the file system's extents, each once",
      "held open by programs",
      "seen through an uncovered copy of the mount",
      "by the file system's own structures",
      "as the stand-in declares",
      "what is left",
      "what is left; this file system cannot be itemised"};
  return text[static_cast<std::size_t>(source)];
}

std::string words(const StatementPart& part) {
  static const std::map<std::string, std::string, std::less<>> names{
      {"program", "held by"},
      {"programs-not-seen", "programs of others could not be looked into"},
      {"mount-point", "beneath"},
      {"mount-points-not-seen", "mount points not looked beneath"},
      {"inode-chunks", "inodes"},
      {"pool", "pool and room set aside"},
      {"headers", "headers and tree roots"},
      {"metadata", "metadata, all copies"},
      {"system-blocks", "system blocks, all copies"},
      {"global-reserve", "global reserve"},
      {"outside-capacity", "outside the capacity: tables, journal"},
      {"compressed", "saved by compression"},
      {"inlined", "small files kept in the metadata"},
      {"shared", "shared by several files, counted once"},
      {"pinned", "kept though overwritten"},
      {"holes", "not stored: holes of sparse files"},
      {"preallocated", "set aside beyond the content"},
      {"subvolumes", "subvolumes not walked"},
      {"shared-at-least", "stored once, counted with several files, at least"},
      {"unreadable-at-most", "in folders that could not be read, at most"}};
  const auto known = names.find(part.id);
  std::string text = known == names.end() ? part.id : known->second;
  if (!part.subject.empty()) text += " " + escapePath(part.subject);
  if (part.bytes != 0 || part.id == "unreadable-at-most") text += ": " + formatSigned(part.bytes);
  if (part.count > 0) text += " (" + std::to_string(part.count) + ")";
  return text;
}

}  // namespace zt::cli
