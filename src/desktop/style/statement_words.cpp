// SPDX-License-Identifier: GPL-3.0-or-later
// The words for the lines of the statement: how they were obtained, what they are made of.
#include <QCoreApplication>
#include <QLocale>
#include <array>
#include <map>

#include "desktop/style/words.h"

namespace zt::desktop {

namespace {
QString t(const char* text) {
  return QCoreApplication::translate("Words", text);
}
}  // namespace

QString Words::lineSource(LineSource source) {
  static constexpr std::array<const char*, lineSources> text{
      QT_TRANSLATE_NOOP("Words", "not looked at"),
      QT_TRANSLATE_NOOP("Words", "by the file system's counters"),
      QT_TRANSLATE_NOOP("Words", "every entry asked"),
      QT_TRANSLATE_NOOP("Words", "by the file system's extents, each once"),
      QT_TRANSLATE_NOOP("Words", "held open by programs"),
      QT_TRANSLATE_NOOP("Words", "seen through an uncovered copy of the mount"),
      QT_TRANSLATE_NOOP("Words", "by the file system's own structures"),
      QT_TRANSLATE_NOOP("Words", "as the stand-in declares"),
      QT_TRANSLATE_NOOP("Words", "what is left"),
      QT_TRANSLATE_NOOP("Words", "what is left; this file system cannot be itemised")};
  return t(text[static_cast<std::size_t>(source)]);
}

QString Words::statementPart(const StatementPart& part) {
  static const std::map<std::string, const char*, std::less<>> names{
      {"program", QT_TRANSLATE_NOOP("Words", "held by")},
      {"programs-not-seen", QT_TRANSLATE_NOOP("Words", "programs of others could not be looked into")},
      {"mount-point", QT_TRANSLATE_NOOP("Words", "beneath")},
      {"mount-points-not-seen", QT_TRANSLATE_NOOP("Words", "mount points not looked beneath")},
      {"inode-chunks", QT_TRANSLATE_NOOP("Words", "inodes")},
      {"pool", QT_TRANSLATE_NOOP("Words", "pool and room set aside")},
      {"headers", QT_TRANSLATE_NOOP("Words", "headers and tree roots")},
      {"metadata", QT_TRANSLATE_NOOP("Words", "metadata, all copies")},
      {"system-blocks", QT_TRANSLATE_NOOP("Words", "system blocks, all copies")},
      {"global-reserve", QT_TRANSLATE_NOOP("Words", "global reserve")},
      {"outside-capacity", QT_TRANSLATE_NOOP("Words", "outside the capacity: tables, journal")},
      {"compressed", QT_TRANSLATE_NOOP("Words", "saved by compression")},
      {"inlined", QT_TRANSLATE_NOOP("Words", "small files kept in the metadata")},
      {"shared", QT_TRANSLATE_NOOP("Words", "shared by several files, counted once")},
      {"pinned", QT_TRANSLATE_NOOP("Words", "kept though overwritten")},
      {"holes", QT_TRANSLATE_NOOP("Words", "not stored: holes of sparse files")},
      {"preallocated", QT_TRANSLATE_NOOP("Words", "set aside beyond the content")},
      {"subvolumes", QT_TRANSLATE_NOOP("Words", "subvolumes not walked")},
      {"shared-at-least", QT_TRANSLATE_NOOP("Words", "stored once, counted with several files, at least")},
      {"unreadable-at-most", QT_TRANSLATE_NOOP("Words", "in folders that could not be read, at most")}};
  const auto known = names.find(part.id);
  QString text = known == names.end() ? QString::fromStdString(part.id) : t(known->second);
  if (!part.subject.empty()) text += QLatin1Char(' ') + path(part.subject);
  if (part.bytes != 0) text += QStringLiteral(": ") + signedBytes(part.bytes);
  if (part.count > 0)
    text += QStringLiteral(" (%1)").arg(QLocale().toString(static_cast<qulonglong>(part.count)));
  return text;
}

}  // namespace zt::desktop
