// SPDX-License-Identifier: GPL-3.0-or-later
// The frame itself: menus, settings, commands, errors, faces and sizes.
#include <QAction>
#include <QDialog>
#include <QDropEvent>
#include <QHeaderView>
#include <QListWidget>
#include <QMenuBar>
#include <QMimeData>
#include <QScreen>
#include <QSettings>
#include <QTimer>

#include "desktop/style/palette.h"
#include "desktop/window_fixture.h"

namespace zt::test {
namespace {

class Window : public WindowTest {
protected:
  QAction* action(const char* name) {
    auto* found = window->findChild<QAction*>(QLatin1String(name));
    if (found == nullptr) ADD_FAILURE() << "no action " << name;
    return found;
  }
};

TEST_F(Window, EveryActionIsInAMenuAndNoShortcutIsTwice) {
  QSet<QString> keys;
  int inMenus = 0;
  for (QAction* menu : window->menuBar()->actions())
    for (QAction* a : menu->menu()->actions()) {
      if (a->isSeparator()) continue;
      ++inMenus;
      const QString shortcut = a->shortcut().toString();
      if (!shortcut.isEmpty()) {
        EXPECT_FALSE(keys.contains(shortcut)) << shortcut.toStdString();
        keys.insert(shortcut);
      }
    }
  EXPECT_GE(inMenus, 30);
  EXPECT_EQ(static_cast<int>(window->actions().size()), inMenus);
}

TEST_F(Window, GoesToEveryStationByKeysAndStrip) {
  for (int i = 1; i <= 6; ++i) {
    station(i);
    EXPECT_EQ(window->station(), builtInStations()[static_cast<std::size_t>(i - 1)].id);
  }
  auto* strip = find<QWidget>("stations");
  strip->setFocus();
  key(strip, Qt::Key_Left);
  EXPECT_EQ(window->station(), reclaimStation);
  key(find<QWidget>("stations"), Qt::Key_Right);
  EXPECT_EQ(window->station(), proofStation);
}

TEST_F(Window, KeepsTheFaceAndTheUnits) {
  action("actDark")->setChecked(true);
  action("actIec")->setChecked(true);
  EXPECT_TRUE(face().dark);
  window->close();
  window = std::make_unique<MainWindow>(real, prompter);
  EXPECT_TRUE(face().dark);
  EXPECT_TRUE(action("actIec")->isChecked());
  action("actDark")->setChecked(false);
  action("actIec")->setChecked(false);
  EXPECT_FALSE(face().dark);
}

TEST_F(Window, KeepsTheColumns) {
  action("actLength")->setChecked(true);
  window->close();
  window = std::make_unique<MainWindow>(real, prompter);
  auto* survey = window->findChild<SurveyStation*>()->folders();
  EXPECT_TRUE(survey->columnShown(FolderModel::lengthColumn));
  EXPECT_FALSE(survey->columnShown(FolderModel::exclusiveColumn));
  action("actLength")->setChecked(false);
  EXPECT_FALSE(survey->columnShown(FolderModel::lengthColumn));
}

TEST_F(Window, FindsACommandByTyping) {
  QTimer::singleShot(0, [&] {
    auto* dialog = QApplication::activeModalWidget();
    ASSERT_NE(dialog, nullptr);
    auto* filter = dialog->findChild<QLineEdit*>(QStringLiteral("commandFilter"));
    QTest::keyClicks(filter, QStringLiteral("proof"));
    EXPECT_EQ(dialog->findChild<QListWidget*>(QStringLiteral("commandList"))->count(), 1);
    QTest::keyClick(filter, Qt::Key_Return);
  });
  action("actCommand")->trigger();
  EXPECT_EQ(window->station(), proofStation);
}

TEST_F(Window, ExplainsTheWordOfTheStation) {
  station(4);
  action("actExplain")->trigger();
  auto* book = window->findChild<QDialog*>(QStringLiteral("wordBook"));
  ASSERT_NE(book, nullptr);
  auto* list = book->findChild<QListWidget*>(QStringLiteral("wordList"));
  EXPECT_EQ(list->currentItem()->text(), QStringLiteral("plan"));
  EXPECT_FALSE(book->findChild<QLabel*>(QStringLiteral("wordMeaning"))->text().isEmpty());
  const int all = list->count();
  QTest::keyClicks(book->findChild<QLineEdit*>(QStringLiteral("wordSearch")), QStringLiteral("bedrock"));
  EXPECT_LT(list->count(), all);
  EXPECT_LE(book->height(), book->screen()->availableGeometry().height());
  delete book;
  action("actAbout")->trigger();
  EXPECT_TRUE(prompter.told[0].contains(QStringLiteral("General Public License")));
}

TEST_F(Window, ExplainsWhatThePointerOrTheKeyboardIsAt) {
  TempFolder t;
  measureStandIn(t);
  const auto explained = [&] {
    action("actExplain")->trigger();
    auto* book = window->findChild<QDialog*>(QStringLiteral("wordBook"));
    const QString word = book->findChild<QListWidget*>(QStringLiteral("wordList"))->currentItem()->text();
    delete book;
    window->activateWindow();
    EXPECT_TRUE(QTest::qWaitForWindowActive(window.get()));
    return word.toStdString();
  };
  const auto point = [](QWidget* at, const QPoint& to) {
    QMouseEvent move(QEvent::MouseMove, to, at->mapToGlobal(to), Qt::NoButton, Qt::NoButton, Qt::NoModifier);
    QApplication::sendEvent(at, &move);
  };
  point(find<QWidget>("level"), QPoint(20, 60));
  EXPECT_EQ(explained(), "Level");
  point(find<QWidget>("balance"), QPoint(20, 5));
  EXPECT_EQ(explained(), "balance");
  station(3);
  auto* finds = find<QTreeView>("finds");
  finds->setFocus();
  key(finds, Qt::Key_Home);
  EXPECT_EQ(explained(), "spent") << "the keyboard moved last; the first group is of this standing";
  station(4);
  auto* header = find<QTreeView>("planLines")->header();
  point(header->viewport(), QPoint(header->sectionViewportPosition(3) + 10, 5));
  EXPECT_EQ(explained(), "regret");
}

TEST_F(Window, TakesAFolderThatIsDropped) {
  TempFolder t;
  t.file("photos/one.jpg", 5000);
  QMimeData data;
  data.setUrls({QUrl::fromLocalFile(QString::fromStdString(t / "photos"))});
  QDragEnterEvent enter(QPoint(400, 400), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(window.get(), &enter);
  EXPECT_TRUE(enter.isAccepted());
  QDropEvent drop(QPointF(400, 400), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
  prompter.keepHere();  // the job's folder may lie on the same drive
  QApplication::sendEvent(window.get(), &drop);
  ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
  ASSERT_TRUE(idle());
  EXPECT_EQ(session().view().survey->tree.totals(0).files, 1u);
  EXPECT_GT(session().view().survey->statement[StatementLine::elsewhere], 0);
}

TEST_F(Window, AsksBeforeAJobIsKeptOnTheMeasuredDrive) {
  TempFolder t;
  t.file("photos/one.jpg", 5000);
  prompter.keepHere();
  window->openPlace(QString::fromStdString(t / "photos"));
  ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
  ASSERT_TRUE(idle());
  EXPECT_EQ(prompter.asked.size(), 1);
  EXPECT_FALSE(session().view().file.empty());
}

TEST_F(Window, SaysWhatIsWrongWithAJobFileAndGoesOn) {
  TempFolder t;
  t.file("bad.ztjob", std::string(5000, 'x'));
  window->openPlace(QString::fromStdString(t / "bad.ztjob"));
  auto* failure = find<QLabel>("failure");
  ASSERT_TRUE(waitFor([&] { return failure->isVisible(); }));
  EXPECT_TRUE(failure->text().contains(QStringLiteral("not a file of Zip Tally")))
      << failure->text().toStdString();
  measureStandIn(t);
  EXPECT_FALSE(failure->isVisible()) << "the next piece of work clears it";
}

TEST_F(Window, FitsASmallScreenInBothFaces) {
  TempFolder t;
  measureStandIn(t);
  window->resize(1024, 700);
  for (const bool dark : {true, false}) {
    action("actDark")->setChecked(dark);
    for (int i = 1; i <= 6; ++i) {
      station(i);
      const QImage image = window->grab().toImage();
      EXPECT_EQ(image.width(), 1024);
      const QColor corner = image.pixelColor(1000, 690);
      EXPECT_EQ(corner.lightness() < 128, dark) << i;
    }
  }
}

TEST_F(Window, ShowsProgressAndTakesTheLevelAlong) {
  TempFolder t;
  measureStandIn(t);
  auto* level = window->findChild<LevelGauge*>();
  level->setAccounted(100'000'000'000);
  EXPECT_TRUE(level->tableTwin().contains(QStringLiteral("accounted")));
  level->setAccounted(0);
  EXPECT_FALSE(level->tableTwin().contains(QStringLiteral("accounted")));
  EXPECT_TRUE(level->tableTwin().contains(QStringLiteral("bedrock")));
}

TEST_F(Window, StopsAMeasurementAndKeepsWhatWasSeen) {
  TempFolder t;
  measureStandIn(t);
  station(2);
  key(window.get(), Qt::Key_M, Qt::ControlModifier);
  key(window.get(), Qt::Key_Escape);
  ASSERT_TRUE(idle());
  EXPECT_NE(session().view().survey, nullptr);
  EXPECT_TRUE(session().view().survey->partial || session().view().survey->tree.size() > 20'000);
}

TEST_F(Window, ClosesUnaskedWhereNothingGoesOn) {
  EXPECT_TRUE(window->close());
  EXPECT_TRUE(prompter.asked.isEmpty());
}

TEST_F(Window, CopiesPathsOfFinds) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  auto* list = find<QTreeView>("finds");
  list->setCurrentIndex(list->model()->index(0, 0, list->model()->index(0, 0)));
  const QStringList paths = window->findChild<FindsStation*>()->currentPaths();
  ASSERT_FALSE(paths.isEmpty());
  EXPECT_TRUE(paths[0].startsWith(QString::fromStdString(t / "si/drive/")));
}

/// A place in the style sheet that is left open, or an argument too many, shifts all colours behind it.
TEST_F(Window, TheStyleSheetHasEveryColourInItsPlace) {
  for (const bool dark : {true, false}) {
    action("actDark")->setChecked(dark);
    const QString sheet = qApp->styleSheet();
    EXPECT_FALSE(sheet.contains(QLatin1Char('%')));
    EXPECT_TRUE(sheet.contains(dark ? QStringLiteral("tick-dark.svg") : QStringLiteral("tick-light.svg")));
    EXPECT_TRUE(sheet.contains(QStringLiteral("QPushButton:disabled{color:") + face().secondInk.name()));
    EXPECT_FALSE(sheet.contains(face().red.name())) << "red is for targets and for what cannot be undone";
  }
}

}  // namespace
}  // namespace zt::test
