// SPDX-License-Identifier: GPL-3.0-or-later
// The window in languages that nobody speaks: a third longer, and written from the right. Every text must
// have come through the catalogue, and every button must hold its own.
#include <QTranslator>
#include <clocale>

#include "desktop/charts/chart.h"
#include "desktop/style/language.h"
#include "desktop/window_fixture.h"
#include "words/language.h"

namespace zt::test {
namespace {

class InLanguage : public WindowTest {
protected:
  void speak(const char* language, const char* folder) {
    qputenv("LANGUAGE", language);
    qputenv("LC_ALL", "C.UTF-8");
    qputenv("ZTALLY_LOCALE", folder);
    beginTheirLanguage();
    speakTheirLanguage(*qApp);
  }
  void TearDown() override {
    window.reset();
    for (QTranslator* translator : qApp->findChildren<QTranslator*>()) {
      QCoreApplication::removeTranslator(translator);
      delete translator;
    }
    for (const char* name : {"LANGUAGE", "LC_ALL", "ZTALLY_LOCALE"}) qunsetenv(name);
    std::setlocale(LC_MESSAGES, "C");
    QGuiApplication::setLayoutDirection(Qt::LeftToRight);
  }
  /// What people read of a window, with who shows it.
  QList<std::pair<QString, QString>> texts() {
    QList<std::pair<QString, QString>> all;
    const auto add = [&](const QWidget* widget, const QString& text) {
      if (!text.isEmpty())
        all.append({widget->metaObject()->className() + QLatin1String(" ") + widget->objectName(), text});
    };
    for (const auto* label : window->findChildren<QLabel*>())
      if (label->isVisible()) add(label, label->text());
    for (const auto* button : window->findChildren<QAbstractButton*>())
      if (button->isVisible()) add(button, button->text());
    for (const auto* line : window->findChildren<QLineEdit*>())
      if (line->isVisible()) add(line, line->placeholderText());
    for (const auto* chart : window->findChildren<Chart*>())
      if (chart->isVisible())
        for (const QString& row : chart->tableTwin().split(QLatin1Char('\n')))
          add(chart, row.section(QLatin1Char('\t'), 0, 0));
    for (const auto* view : window->findChildren<QAbstractItemView*>())
      if (view->isVisible() && view->model() != nullptr)
        for (int c = 0; c < view->model()->columnCount(); ++c)
          add(view, view->model()->headerData(c, Qt::Horizontal).toString());
    return all;
  }
  void expectAllTranslated(QChar sign) {
    for (const auto& [who, text] : texts()) {
      QString words = text;
      words.remove(QRegularExpression(
          QStringLiteral("<[^>]*>|[0-9.,:+/&;()%-]|[kMGT]?i?B\\b|Ctrl|Esc|Skerry Point office")));
      const bool speaks = words.contains(QRegularExpression(QStringLiteral("[A-Za-z]{4,}")));
      EXPECT_TRUE(!speaks || text.contains(sign)) << who.toStdString() << ": " << text.toStdString();
    }
  }
  void expectButtonsHoldTheirTexts() {
    for (const auto* button : window->findChildren<QPushButton*>())
      if (button->isVisible()) {
        EXPECT_GE(button->width(), button->minimumSizeHint().width()) << button->text().toStdString();
        EXPECT_LE(button->mapTo(window.get(), QPoint(button->width(), 0)).x(), window->width() + 1)
            << button->text().toStdString();
      }
  }
  void walk(QChar sign) {
    measureStandIn(t);
    for (int number = 1; number <= 6; ++number) {
      station(number);
      QCoreApplication::processEvents();
      SCOPED_TRACE("station " + std::to_string(number));
      if (!sign.isNull()) expectAllTranslated(sign);
      expectButtonsHoldTheirTexts();
      if (number == 4) {
        window->findChild<QPushButton*>(QStringLiteral("propose"))->click();
        ASSERT_TRUE(idle());
      }
    }
  }
  TempFolder t;
};

class Longer : public InLanguage {
protected:
  void SetUp() override {
    speak("qps", ZT_TEST_LOCALE);
    InLanguage::SetUp();
  }
};
TEST_F(Longer, EveryTextComesThroughTheCatalogueAndFits) {
  walk(QLatin1Char('['));
}

class FromTheRight : public InLanguage {
protected:
  void SetUp() override {
    speak("qpr", ZT_TEST_LOCALE);
    InLanguage::SetUp();
  }
};
TEST_F(FromTheRight, TheWindowIsTurned) {
  EXPECT_EQ(QGuiApplication::layoutDirection(), Qt::RightToLeft);
  walk({});
  // What comes first stands on the right.
  const auto* strip = window->findChild<QWidget*>(QStringLiteral("stationStrip"));
  if (strip != nullptr) {
    EXPECT_EQ(strip->layoutDirection(), Qt::RightToLeft);
  }
  EXPECT_EQ(find<QTreeView>("finds")->layoutDirection(), Qt::RightToLeft);
}

class German : public InLanguage {
protected:
  void SetUp() override {
    speak("de", ZT_LOCALE);
    InLanguage::SetUp();
  }
};
TEST_F(German, IsSpokenAtEveryStationAndFits) {
  walk({});
  station(3);
  auto* filter = find<QLineEdit>("findsFilter");
  filter->setText(QStringLiteral("über 1 GB"));  // no key has it
  key(filter, Qt::Key_Return);
  const auto* list = find<QTreeView>("finds");
  EXPECT_GT(list->model()->rowCount(), 0) << "asked in their words";
  bool counted = false;
  for (const auto& [who, text] : texts()) counted = counted || text.contains(QLatin1String(" Funde"));
  EXPECT_TRUE(counted);
}

}  // namespace
}  // namespace zt::test
