// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/style/look.h"

#include <QApplication>
#include <QDateTime>
#include <QLocale>

#include "words/language.h"

namespace zt::desktop {

namespace {

Words wordsOf(UnitBase base) {
  const QLocale locale;
  NumberStyle style{base, locale.decimalPoint().toStdString(), locale.groupSeparator().toStdString()};
  if (locale.numberOptions().testFlag(QLocale::OmitGroupSeparator)) style.group.clear();
  return Words(style, inTheirLanguage);
}

QDateTime timeOf(TimeNs time) {
  return QDateTime::fromSecsSinceEpoch(time / nsPerSecond);
}

}  // namespace

Look::Look(QObject* application)
    : QObject(application), words_(wordsOf(UnitBase::decimal)), face_(Face::light()) {
  setObjectName(QStringLiteral("look"));
}

Look& Look::ofApplication() {
  QObject* application = QCoreApplication::instance();
  if (auto* look = application->findChild<Look*>(QStringLiteral("look"), Qt::FindDirectChildrenOnly))
    return *look;
  return *new Look(application);
}

void Look::setBase(UnitBase base) {
  words_ = wordsOf(base);
}

void Look::setDark(bool dark) {
  face_ = dark ? Face::slate() : Face::light();
  applyFace(*qobject_cast<QApplication*>(parent()), face_);
}

const Face& face() {
  return Look::ofApplication().face();
}

QString clockTime(TimeNs time) {
  return QLocale().toString(timeOf(time).time(), QStringLiteral("HH:mm"));
}

QString dateText(TimeNs time) {
  return QLocale().toString(timeOf(time).date(), QLocale::ShortFormat);
}

}  // namespace zt::desktop
