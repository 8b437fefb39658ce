// SPDX-License-Identifier: GPL-3.0-or-later
// The words for the lines of the statement: how they were obtained, what they are made of.
#include <array>
#include <map>

#include "words/words.h"

namespace zt {

std::string DriveWords::statementLine(StatementLine line) const {
  static constexpr std::array<const char*, statementLines> texts{"free",
                                                                 "reserved",
                                                                 "files",
                                                                 "snapshots",
                                                                 "open but deleted",
                                                                 "beneath mounts",
                                                                 "file system's own",
                                                                 "changed meanwhile",
                                                                 "not looked at",
                                                                 "unexplained"};
  return t(texts[static_cast<std::size_t>(line)]);
}

std::string DriveWords::lineSource(LineSource source) const {
  static constexpr std::array<const char*, lineSources> texts{
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
  return t(texts[static_cast<std::size_t>(source)]);
}

std::string DriveWords::statementPart(const StatementPart& part) const {
  static const std::map<std::string_view, const char*> names{
      {"program", "held by"},
      {"programs-not-seen", "programs of others could not be looked into"},
      {"mount-point", "beneath"},
      {"mount-points-not-seen", "mount points not looked beneath"},
      {"inode-chunks", "inodes"},
      {"pool", "pool and room set aside"},
      {"headers", "headers and tree roots"},
      {"metadata", "metadata, with its copies"},
      {"system-blocks", "system blocks, with their copies"},
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
      {"refilled-first", "used up of what is kept back; comes before anything is free"},
      {"refill-not-known", "used up, or close to it; by how much the file system does not say"},
      {"unreadable-at-most", "in folders that could not be read, at most"}};
  const auto known = names.find(part.id);
  std::string text = known == names.end() ? part.id : t(known->second);
  if (!part.subject.empty()) text += " " + path(part.subject);
  if (part.bytes != 0 || part.id == "unreadable-at-most") text += ": " + signedBytes(part.bytes);
  if (part.count > 0 && part.id != "refill-not-known") text += " (" + number(part.count) + ")";
  return text;
}

std::string DriveWords::accessTimes(const Survey& survey) const {
  if (survey.timesAtRisk == 0) return {};
  return t("%1, listed without the right to keep their access times, may have new ones; no file was read",
           {counted(survey.timesAtRisk, "1 folder", "%1 folders")});
}

}  // namespace zt
