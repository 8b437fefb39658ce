// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/style/language.h"

#include <QApplication>
#include <QLibraryInfo>
#include <QLocale>
#include <QTranslator>

#include "desktop/style/look.h"
#include "words/language.h"

namespace zt::desktop {

namespace {

/// One catalogue for the window, the command line and the sheets: contexts do not matter.
class Catalogue final : public QTranslator {
public:
  using QTranslator::QTranslator;
  bool isEmpty() const override { return false; }
  QString translate(const char* /*context*/, const char* text, const char* /*meaning*/,
                    int /*count*/) const override {
    const std::string said = inTheirLanguage(text, nullptr, 0);
    // What it does not know is somebody else's: Qt's own texts have a catalogue of theirs.
    return said == text ? QString() : QString::fromStdString(said);
  }
};

}  // namespace

void speakTheirLanguage(QApplication& app) {
  auto* qts = new QTranslator(&app);
  if (qts->load(QLocale(), QStringLiteral("qtbase"), QStringLiteral("_"),
                QLibraryInfo::path(QLibraryInfo::TranslationsPath)))
    QCoreApplication::installTranslator(qts);
  QCoreApplication::installTranslator(new Catalogue(&app));
  QGuiApplication::setLayoutDirection(writtenFromTheRight() ? Qt::RightToLeft : Qt::LeftToRight);
}

QString counted(std::uint64_t count, const char* one, const char* many,
                std::initializer_list<QString> values) {
  QString text = QString::fromStdString(inTheirLanguage(one, many, count));
  // All at once: a value may hold a "%2" of its own.
  const QStringList all = QStringList{say(&Words::number, count)} + QStringList(values);
  QString out;
  for (qsizetype i = 0; i < text.size(); ++i) {
    const bool place = text[i] == QLatin1Char('%') && i + 1 < text.size() && text[i + 1].isDigit();
    const qsizetype index = place ? text[i + 1].digitValue() - 1 : -1;
    if (index >= 0 && index < all.size())
      out += all[index], ++i;
    else
      out += text[i];
  }
  return out;
}

}  // namespace zt::desktop
