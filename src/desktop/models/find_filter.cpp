// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/find_filter.h"

#include "desktop/style/words.h"

namespace zt::desktop {

namespace {
int days(const QString& text) {
  bool ok = false;
  const int number = text.left(text.size() - 1).toInt(&ok);
  if (!ok || number <= 0) return 0;
  switch (text.back().toLatin1()) {
    case 'd':
      return number;
    case 'w':
      return number * 7;
    case 'm':
      return number * 30;
    case 'y':
      return number * 365;
    default:
      return 0;
  }
}
}  // namespace

FindFilter::FindFilter(const QString& text) {
  for (const QString& word : text.split(QLatin1Char(' '), Qt::SkipEmptyParts)) {
    const auto after = [&](const char* key) {
      return word.startsWith(QLatin1String(key)) ? word.mid(static_cast<qsizetype>(qstrlen(key))) : QString();
    };
    if (const auto bytes = parseAmount(after("size>").toStdString(), 0))
      minBytes_ = *bytes;
    else if (const QString age = after("age>"); age.size() > 1 && days(age) > 0)
      minDays_ = days(age);
    else if (!after("owner:").isEmpty())
      owner_ = after("owner:");
    else if (!after("kind:").isEmpty())
      kind_ = after("kind:");
    else if (!after("standing:").isEmpty())
      standing_ = after("standing:");
    else
      words_.append(word);
  }
}

bool FindFilter::takes(const Find& find, TimeNs now, const OwnerNames& owners) const {
  if (find.gain.atMost < minBytes_ || now - find.newest < minDays_ * nsPerDay) return false;
  if (!owner_.isEmpty() && owners.number(owner_.toStdString()) != find.owner) return false;
  if (!kind_.isEmpty() && !QString::fromUtf8(name(find.kind).data()).startsWith(kind_)) return false;
  if (!standing_.isEmpty() && !Words::standing(find.standing).startsWith(standing_)) return false;
  const QString title = Words::findTitle(find);
  for (const QString& word : words_)
    if (!title.contains(word, Qt::CaseInsensitive)) return false;
  return true;
}

}  // namespace zt::desktop
