// SPDX-License-Identifier: GPL-3.0-or-later
#include <QAbstractItemModelTester>
#include <QAction>
#include <QClipboard>
#include <QSignalSpy>
#include <numeric>

#include "desktop/window_fixture.h"
#include "support/alike_files.h"

namespace zt::test {
namespace {

class Stations : public WindowTest {};

TEST_F(Stations, SayWhatTheyWaitFor) {
  for (int i = 2; i <= 6; ++i) {
    station(i);
    auto* page = window->findChildren<Station*>()[i - 1];
    EXPECT_FALSE(page->findChild<QLabel*>(QStringLiteral("waiting"))->text().isEmpty()) << i;
  }
}

TEST_F(Stations, TheBenchListsTheDrivesOfTheMachine) {
  auto* shelf = window->findChild<DriveShelf*>();
  ASSERT_TRUE(waitFor([&] { return !shelf->drives().isEmpty(); }));
  const auto& drives = shelf->drives();  // others mount and unmount drives all the time: this one stays
  EXPECT_TRUE(std::any_of(drives.begin(), drives.end(), [](const ShelfDrive& d) { return d.path == "/"; }));
  EXPECT_TRUE(shelf->tableTwin().contains(QStringLiteral("free")));
}

TEST_F(Stations, AFolderThatIsNotThereIsSaidAndNothingIsLost) {
  window->openPlace(QStringLiteral("/no/such/folder"));
  auto* failure = find<QLabel>("failure");
  ASSERT_TRUE(waitFor([&] { return failure->isVisible(); }));
  EXPECT_TRUE(failure->text().contains(QStringLiteral("/no/such/folder")));
}

TEST_F(Stations, AStandInThatIsNoneIsRefused) {
  TempFolder t;
  window->openStandIn(QString::fromStdString(t.path()));
  EXPECT_TRUE(waitFor([&] { return find<QLabel>("failure")->isVisible(); }));
}

TEST_F(Stations, ModelsKeepTheRulesOfModels) {
  TempFolder t;
  measureStandIn(t);
  auto* finds = find<QTreeView>("finds")->model();
  auto* folders = find<QTreeView>("folders")->model();
  const QAbstractItemModelTester a(finds, QAbstractItemModelTester::FailureReportingMode::Fatal);
  const QAbstractItemModelTester b(folders, QAbstractItemModelTester::FailureReportingMode::Fatal);
  QTest::keyClicks(find<QLineEdit>("findsFilter"), QStringLiteral("over 1 GB, older 1 y"));
  find<QTreeView>("folders")->expand(folders->index(0, 0, folders->index(0, 0)));
  EXPECT_GT(finds->rowCount(), 0);
}

TEST_F(Stations, TheFilterUnderstandsSizesAgesAndKinds) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  auto* model = window->findChild<FindsModel*>();
  const auto shown = [&](const char* text) {
    find<QLineEdit>("findsFilter")->setText(QString::fromUtf8(text));
    EXPECT_EQ(find<QLabel>("findsFilterEcho")->text().isEmpty(), text[0] == 0) << "how it was understood";
    return model->shown();
  };
  const auto all = shown("");
  EXPECT_LT(shown("over 1 GB"), all);
  EXPECT_EQ(shown("trash"), 3u) << "of two users, of one of them the old and the young";
  EXPECT_EQ(shown("logger.raw"), 1u);
  EXPECT_LT(shown("older 3 y, over 1 GB"), shown("over 1 GB"));
  EXPECT_EQ(shown("no-such-thing-at-all"), 0u);
}

TEST_F(Stations, KeepTakesAFindOffTheTableAndBack) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  judge(QStringLiteral("large, logger.qcow2"), Qt::Key_K);
  const auto standingOf = [&] {
    for (const Find& f : *session().view().finds)
      if (f.items[0].path == "srv/virtual-machines/logger.qcow2" && f.kind == "large") return f.standing;
    return Standing::spent;
  };
  EXPECT_EQ(standingOf(), Standing::kept);
  judge(QStringLiteral("large, logger.qcow2"), Qt::Key_K);
  EXPECT_EQ(standingOf(), Standing::ownersCall);
}

/// A rule on many by two keys, and one thing exempted with a third.
TEST_F(Stations, ARuleTakesManyAndOneIsExempted) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  const auto things = [&] {
    std::size_t all = 0;
    for (const auto& line : session().view().plan.lines) all += line.items.size();
    return all;
  };
  judge(QStringLiteral("trash, spent"), Qt::Key_P);
  const std::size_t all = things();
  ASSERT_GT(all, 3u);
  judge(QStringLiteral("trash, spent"), Qt::Key_P);
  ASSERT_EQ(things(), 0u);
  QTimer::singleShot(0, window.get(), [&] {
    QWidget* menu = nullptr;
    ASSERT_TRUE(waitFor([&] { return (menu = QApplication::activePopupWidget()) != nullptr; }));
    EXPECT_EQ(menu->objectName(), QStringLiteral("rules"));
    QTest::keyClick(menu, Qt::Key_1);
  });
  judge(QStringLiteral("trash, spent"), Qt::Key_R);
  ASSERT_TRUE(idle());
  const std::size_t some = things();
  EXPECT_LT(some, all);
  ASSERT_GT(some, 2u);
  auto* inside = find<QTreeView>("inside");
  const auto planned = session().view().plan.lines[0].items;
  ASSERT_TRUE(waitFor([&] { return inside->isVisible() && inside->model()->rowCount() > 2; }));
  key(inside, Qt::Key_Home);
  for (int row = 0; row < inside->model()->rowCount(); ++row)
    if (inside->currentIndex().data(RowsModel::idRole).toUInt() != planned[0].node) key(inside, Qt::Key_Down);
  key(inside, Qt::Key_K);
  ASSERT_TRUE(idle());
  EXPECT_EQ(session().view().marks.of(planned[0].path), Mark::keep);
  EXPECT_EQ(things(), some - 2) << "the thing, and its record with it";
  EXPECT_TRUE(text("facts").contains(QStringLiteral("left out here")));
}

/// Contents are compared by one key; the copies are planned by another, and the keeper stays.
TEST_F(Stations, ComparesContentsByKeyboard) {
  TempFolder t;
  const std::string sound(3'000'000, 's');
  t.file("drive/library/pier.wav", sound + "1");
  t.file("drive/fetched/pier copy.wav", sound + "1");
  t.file("drive/fetched/near miss.wav", sound + "2");
  prompter.keepHere();
  window->openPlace(QString::fromStdString(t / "drive"));
  ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
  ASSERT_TRUE(idle());
  key(window.get(), Qt::Key_D, Qt::ControlModifier);
  const auto copies = [&]() -> const Find* {
    for (const Find& f : *session().view().finds)
      if (f.kind == "duplicates") return &f;
    return nullptr;
  };
  ASSERT_TRUE(waitFor([&] { return copies() != nullptr; }));
  ASSERT_TRUE(idle());
  ASSERT_EQ(copies()->items.size(), 1u);
  judge(QStringLiteral("duplicates"), Qt::Key_P);
  ASSERT_EQ(session().view().plan.lines.size(), 1u);
  EXPECT_TRUE(text("facts").contains(QString::fromStdString(textIn(*copies(), "keeper"))));
}

/// The faces of what comparing finds, and the key that keeps another one instead.
TEST_F(Stations, ShowsGroupsFoldersNamesakesAndImages) {
  TempFolder t;
  const std::string sound(3'000'000, 's');
  t.file("drive/library/pier.wav", sound + "1");
  t.file("drive/fetched/pier copy.wav", sound + "1");
  furnishAlike(t, "drive");
  prompter.keepHere();
  window->openPlace(QString::fromStdString(t / "drive"));
  ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
  ASSERT_TRUE(idle());
  const auto anyOf = [&](std::string_view kind) {
    const auto& finds = *session().view().finds;
    return std::any_of(finds.begin(), finds.end(), [&](const Find& f) { return f.kind == kind; });
  };
  key(window.get(), Qt::Key_D, Qt::ControlModifier | Qt::ShiftModifier);
  ASSERT_TRUE(waitFor([&] { return anyOf("images"); }));
  ASSERT_TRUE(idle());
  const auto rows = [&] {
    const auto* model = find<QTreeView>("inside")->model();
    QStringList all;
    for (int r = 0; r < model->rowCount(); ++r)
      for (int c = 0; c < model->columnCount(); ++c) all << model->index(r, c).data().toString();
    return all.join(QLatin1Char('|'));
  };
  choose(QStringLiteral("images"));
  EXPECT_TRUE(rows().contains(QStringLiteral("in use|"))) << rows().toStdString();
  EXPECT_TRUE(rows().contains(QStringLiteral("10.5 MB"))) << rows().toStdString();
  choose(QStringLiteral("namesakes"));
  EXPECT_TRUE(rows().contains(QStringLiteral("from byte 700,000"))) << rows().toStdString();
  choose(QStringLiteral("duplicates, elsewhere"));
  EXPECT_TRUE(text("evidenceTitle").contains(QStringLiteral("a copy of the folder days")));
  choose(QStringLiteral("duplicates, wav"));
  const QString before = rows();
  auto* inside = find<QTreeView>("inside");
  key(inside, Qt::Key_Home);
  key(inside, Qt::Key_Down);
  key(inside, Qt::Key_K);
  ASSERT_TRUE(idle());
  choose(QStringLiteral("duplicates, wav"));
  EXPECT_NE(rows(), before);
  EXPECT_TRUE(rows().startsWith(before.section(QLatin1Char('|'), 3, 3))) << "the chosen one stays now";
}

TEST_F(Stations, SnapshotsArePickedAndPlannedByKeyboard) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  choose(QStringLiteral("points"));
  auto* line = find<QWidget>("pointsLine");
  ASSERT_TRUE(line->isVisible());
  EXPECT_FALSE(find<QPushButton>("planPoints")->isEnabled()) << "nothing is picked yet";
  line->setFocus();
  key(line, Qt::Key_Home);
  key(line, Qt::Key_Right, Qt::ShiftModifier);
  EXPECT_TRUE(text("pointsSum").contains(QStringLiteral("2 picked"))) << text("pointsSum").toStdString();
  EXPECT_TRUE(text("pointsSum").contains(QStringLiteral("7.0 GB"))) << text("pointsSum").toStdString();
  // The newest is passed over, whatever range is drawn.
  key(line, Qt::Key_End, Qt::ShiftModifier);
  EXPECT_TRUE(text("pointsSum").contains(QStringLiteral("2 picked"))) << text("pointsSum").toStdString();
  key(line, Qt::Key_Home);
  EXPECT_TRUE(text("pointsSum").contains(QStringLiteral("3.9 GB"))) << text("pointsSum").toStdString();
  key(line, Qt::Key_P);
  ASSERT_TRUE(idle());
  ASSERT_EQ(session().view().plan.lines.size(), 1u);
  EXPECT_EQ(session().view().plan.lines[0].items.size(), 1u);
  EXPECT_EQ(session().view().plan.lines[0].step->id, "drop");
  EXPECT_EQ(session().view().planned.sure, 3'900'000'000u);
  QTest::mouseClick(find<QPushButton>("rule newest 1"), Qt::LeftButton);
  EXPECT_TRUE(text("pointsSum").contains(QStringLiteral("2 picked")));
  // Any amount, as on the command line; Enter picks what the sentence says.
  auto* amount = find<QSpinBox>("amount newest");
  amount->setFocus();
  amount->selectAll();
  QTest::keyClicks(amount, QStringLiteral("2"));
  EXPECT_TRUE(find<QPushButton>("rule newest")->text().contains(QStringLiteral("newest 2: 1 goes")))
      << find<QPushButton>("rule newest")->text().toStdString();
  QTest::keyClick(amount, Qt::Key_Return);
  EXPECT_TRUE(text("pointsSum").contains(QStringLiteral("1 picked"))) << text("pointsSum").toStdString();
  for (const char* rule : {"rule daily", "rule weekly", "rule monthly", "rule younger", "rule share"})
    EXPECT_NE(find<QPushButton>(rule), nullptr) << rule;
}

/// A file whose bytes snapshots hold as well: S plans both, as far as the snapshots may go; the Level has
/// what snapshots hold as a stratum of its own, which leads to them.
TEST_F(Stations, APinnedFileIsPlannedWithItsSnapshots) {
  TempFolder t;
  measureStandIn(t);
  EXPECT_EQ(session().view().points, 8'420'000'000u);
  station(3);
  choose(QStringLiteral("large, hydrophone-b"));
  auto* button = find<QPushButton>("planWithPoints");
  ASSERT_TRUE(button->isVisible());
  EXPECT_TRUE(text("facts").contains(QStringLiteral("freed now 900 MB"))) << text("facts").toStdString();
  key(find<QTreeView>("finds"), Qt::Key_S);
  ASSERT_TRUE(idle());
  ASSERT_EQ(session().view().plan.lines.size(), 2u);
  // 0.9 of its own, 1.5 with both, and 7.0 that the two hold without it; 0.4 stays with the newest.
  EXPECT_EQ(session().view().planned.sure, 9'400'000'000u);
  EXPECT_EQ(session().view().plannedPoints, 7'000'000'000u);
  choose(QStringLiteral("large, hydrophone-a"));
  EXPECT_FALSE(button->isVisible());
  const QModelIndex shown = find<QTreeView>("finds")->currentIndex();
  window->findChild<FindsStation*>()->showPoints();
  EXPECT_EQ(find<QTreeView>("finds")->currentIndex(), shown) << "the question leaves them out";
  find<QLineEdit>("findsFilter")->clear();
  key(find<QLineEdit>("findsFilter"), Qt::Key_Return);
  window->findChild<FindsStation*>()->showPoints();
  EXPECT_TRUE(
      find<QTreeView>("finds")->currentIndex().data().toString().contains(QStringLiteral("snapshots")));
}

/// Folders that share their files are a series like any other.
TEST_F(Stations, ASeriesOfFoldersIsPickedByARule) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  choose(QStringLiteral("stale-backups, in srv/backups"));
  ASSERT_TRUE(find<QWidget>("pointsLine")->isVisible());
  QTest::mouseClick(find<QPushButton>("rule newest 1"), Qt::LeftButton);
  EXPECT_TRUE(text("pointsSum").contains(QStringLiteral("3 picked"))) << text("pointsSum").toStdString();
  QTest::mouseClick(find<QPushButton>("planPoints"), Qt::LeftButton);
  ASSERT_TRUE(idle());
  ASSERT_EQ(session().view().plan.lines.size(), 1u);
  EXPECT_EQ(session().view().plan.lines[0].items.size(), 3u);
  EXPECT_EQ(session().view().plan.lines[0].step->id, "discard");
}

TEST_F(Stations, BedrockStaysLocked) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  judge(QStringLiteral("memory-files, hibernate"), Qt::Key_P);
  EXPECT_TRUE(session().view().plan.lines.empty());
  EXPECT_TRUE(find<QLabel>("failure")->isVisible());
}

TEST_F(Stations, TheConsentIsForOnePlanOnly) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  judge(QStringLiteral("large, logger.raw"), Qt::Key_P);
  station(5);
  agree();
  EXPECT_TRUE(find<QPushButton>("startRun")->isEnabled());
  station(3);
  judge(QStringLiteral("large, logger.qcow2"), Qt::Key_P);
  station(5);
  for (const QCheckBox* tick : agreements()) EXPECT_FALSE(tick->isChecked());
  EXPECT_FALSE(find<QPushButton>("startRun")->isEnabled());
}

/// One tick a group: what is not ticked waits, and stays on the plan.
TEST_F(Stations, WhatNobodyAgreedToWaits) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  judge(QStringLiteral("large, logger.raw"), Qt::Key_P);
  judge(QStringLiteral("caches, in home/warden, thumbnails"), Qt::Key_P);
  ASSERT_EQ(session().view().plan.lines.size(), 2u);
  station(5);
  ASSERT_EQ(agreements().size(), 2);
  QCheckBox* wait = find<QCheckBox>("agree-time-or-bandwidth");
  wait->setFocus();
  key(wait, Qt::Key_Space);
  EXPECT_TRUE(text("reclaimNote").contains(QStringLiteral("one group is not agreed to")));
  click("startRun");
  ASSERT_TRUE(waitFor([&] { return session().view().proof.has_value(); }));
  ASSERT_TRUE(idle());
  EXPECT_TRUE(t.has("si/drive/srv/virtual-machines/logger.raw"));
  ASSERT_EQ(session().view().plan.lines.size(), 1u);
  EXPECT_TRUE(session().view().plan.lines[0].enabled);
  EXPECT_EQ(session().view().report->lines.size(), 1u);
}

/// One key is one change: one new view, no list made anew, and of each group one word that it says otherwise.
TEST_F(Stations, OneKeyIsOneChange) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  choose(QStringLiteral("large, logger.raw"));
  auto* model = window->findChild<FindsModel*>();
  QSignalSpy rows(model, &QAbstractItemModel::dataChanged);
  QSignalSpy resets(model, &QAbstractItemModel::modelReset);
  QSignalSpy views(&session(), &Session::changed);
  key(find<QTreeView>("finds"), Qt::Key_P);
  ASSERT_TRUE(idle());
  EXPECT_EQ(views.size(), 1);
  EXPECT_EQ(resets.size(), 0);
  EXPECT_LE(rows.size(), 13) << "the groups, and of each at most one fold";
  EXPECT_GE(rows.size(), 1);
}

TEST_F(Stations, PlanLinesCanBeSwitchedMovedAndDropped) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  judge(QStringLiteral("large, logger.raw"), Qt::Key_P);
  judge(QStringLiteral("large, logger.qcow2"), Qt::Key_P);
  station(4);
  auto* lines = find<QTreeView>("planLines");
  const auto sure = session().view().planned.sure;
  const auto first = session().view().plan.lines[0].id;
  lines->setCurrentIndex(lines->model()->index(0, 0));
  key(lines, Qt::Key_Down, Qt::AltModifier);
  ASSERT_TRUE(idle());
  EXPECT_EQ(session().view().plan.lines[1].id, first);
  key(lines, Qt::Key_H);
  ASSERT_TRUE(idle());
  EXPECT_LT(session().view().planned.sure, sure);
  key(lines, Qt::Key_Delete);
  ASSERT_TRUE(idle());
  EXPECT_EQ(session().view().plan.lines.size(), 1u);
}

TEST_F(Stations, TargetsAreAddedTickedAndDropped) {
  TempFolder t;
  measureStandIn(t);
  station(1);
  prompter.target = Prompter::TargetAnswer{QStringLiteral("films"), QStringLiteral("60GB")};
  click("addTarget");
  ASSERT_TRUE(idle());
  ASSERT_NE(hardest(session().view().targets), nullptr);
  EXPECT_EQ(hardest(session().view().targets)->bytes, 60'000'000'000u);
  prompter.target = Prompter::TargetAnswer{QStringLiteral("films"), QStringLiteral("-3GB")};
  click("addTarget");
  ASSERT_TRUE(waitFor([&] { return find<QLabel>("failure")->isVisible(); }));
  auto* targets = find<QTreeView>("targets");
  targets->setCurrentIndex(targets->model()->index(0, 0));
  click("dropTarget");
  ASSERT_TRUE(waitFor([&] { return hardest(session().view().targets)->bytes != 60'000'000'000u; }));
}

TEST_F(Stations, TheBalanceIsTheSum) {
  TempFolder t;
  measureStandIn(t);
  const QString text = window->findChild<BalanceBar*>()->tableTwin();
  EXPECT_EQ(text, QStringLiteral("free 9.6 GB + planned 0 B − target 51.2 GB = 41.6 GB short"));
  window->findChild<QAction*>(QStringLiteral("actIec"))->setChecked(true);
  EXPECT_TRUE(window->findChild<BalanceBar*>()->tableTwin().contains(QStringLiteral("GiB")));
  window->findChild<QAction*>(QStringLiteral("actIec"))->setChecked(false);
}

TEST_F(Stations, ChartsHaveATableTwinThatCanBeCopied) {
  TempFolder t;
  measureStandIn(t);
  for (const char* name : {"level", "statement", "ageSizeGrid", "staircase", "balance"}) {
    auto* chart = window->findChild<Chart*>(QLatin1String(name));
    ASSERT_NE(chart, nullptr) << name;
    EXPECT_FALSE(chart->tableTwin().isEmpty()) << name;
    EXPECT_FALSE(chart->accessibleName().isEmpty()) << name;
    QTest::keyClick(chart, Qt::Key_C, Qt::ControlModifier);
    EXPECT_EQ(QGuiApplication::clipboard()->text(), chart->tableTwin()) << name;
  }
}

TEST_F(Stations, TheFieldPicksCellsByKeyboard) {
  TempFolder t;
  measureStandIn(t);
  window->findChild<SurveyStation*>()->showFace(SurveyStation::fieldFace);
  auto* grid = window->findChild<AgeSizeGrid*>();
  key(grid, Qt::Key_Down);
  auto* picked = find<QTreeView>("pickedFiles")->model();
  ASSERT_TRUE(waitFor([&] { return picked->rowCount() > 0; }));
  EXPECT_EQ(picked->index(0, 0).data().toString(), QStringLiteral("old/logger-image-2019/logger-disk.img"));
  const FieldCells& cells = session().view().composition->field();
  EXPECT_EQ(picked->rowCount(), static_cast<int>(cells[ageBands - 1][sizeBands - 1].files));
  const auto sum = [](const FieldCell& c) { return std::accumulate(c.by.begin(), c.by.end(), Bytes{0}); };
  Bytes all = 0;
  for (const auto& row : cells)
    for (const auto& cell : row) {
      EXPECT_EQ(sum(cell), cell.bytes);
      all += cell.bytes;
    }
  EXPECT_GT(all, 100'000'000'000u);
}

TEST_F(Stations, AFolderIsPlannedFromTheSurvey) {
  TempFolder t;
  measureStandIn(t);
  station(2);
  auto* filter = find<QLineEdit>("surveyFilter");
  QTest::keyClicks(filter, QStringLiteral("hydrophone-trial"));
  auto* list = find<QTableView>("entryList");
  ASSERT_TRUE(waitFor([&] { return list->model()->rowCount() > 0; }));
  key(filter, Qt::Key_Return);
  list->setCurrentIndex(list->model()->index(0, 0));
  EXPECT_EQ(window->findChild<SurveyStation*>()->currentPath(), "srv/recordings/hydrophone-trial");
  key(list, Qt::Key_P);
  ASSERT_TRUE(idle());
  ASSERT_EQ(session().view().plan.lines.size(), 1u);
  EXPECT_NEAR(static_cast<double>(session().view().planned.sure), 5.8e9, 1e6) << "two snapshots pin the rest";
}

TEST_F(Stations, TheLevelGoesToAStratum) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  auto* level = find<QWidget>("level");
  level->setFocus();
  key(level, Qt::Key_Up);
  key(level, Qt::Key_Return);
  auto* list = find<QTreeView>("finds");
  EXPECT_EQ(list->currentIndex().data(FindsModel::standingRole).toInt(), static_cast<int>(Standing::bedrock));
}

TEST_F(Stations, TheShopsRulesAreKeptForTheNextDrive) {
  TempFolder shop, t;
  real.visits = Register::open(shop / "register.sqlite").value();
  window = nullptr;
  SetUp();
  measureStandIn(t);
  station(1);
  const auto tick = [&](const char* rule) {
    auto* targets = find<QTreeView>("targets");
    auto* model = targets->model();
    for (int row = 0; row < model->rowCount(); ++row)
      if (model->index(row, 0).data().toString().startsWith(QLatin1String(rule))) {
        targets->setCurrentIndex(model->index(row, 0));
        key(targets, Qt::Key_Space);
        return idle();
      }
    return false;
  };
  ASSERT_TRUE(tick("10 %"));
  TempFolder other;
  window = nullptr;
  SetUp();
  measureStandIn(other);
  int chosen = 0;
  for (const Target& target : session().view().targets)
    if (target.origin != TargetOrigin::task && target.chosen) {
      ++chosen;
      EXPECT_EQ(target.origin, TargetOrigin::tenPercent);
    }
  EXPECT_EQ(chosen, 1);
  station(1);
  ASSERT_TRUE(tick("10 %"));
}

TEST_F(Stations, ARunPausesAndGoesOn) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  judge(QStringLiteral("old, in home/warden, not older 3 y"), Qt::Key_P);
  station(5);
  auto* pause = find<QPushButton>("pauseRun");
  agree();
  click("startRun");
  ASSERT_TRUE(waitFor([&] { return pause->isVisible(); }));
  QTest::mouseClick(pause, Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return pause->isVisible(); }));
  EXPECT_EQ(pause->text(), QStringLiteral("Go on"));
  QTest::mouseClick(pause, Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return session().view().proof.has_value(); }));
  ASSERT_TRUE(idle());
  EXPECT_EQ(session().view().report->lines[0].state, LineOutcome::State::done);
}

/// While a run goes on the window asks before it closes, and stays if told to; Stop ends the run between two
/// items, and what was not reached is as it was.
TEST_F(Stations, ARunIsStoppedAndNotClosedUnasked) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  judge(QStringLiteral("old, in home/warden, not older 3 y"), Qt::Key_P);
  station(5);
  auto* pause = find<QPushButton>("pauseRun");
  agree();
  click("startRun");
  ASSERT_TRUE(waitFor([&] { return pause->isVisible(); }));
  QTest::mouseClick(pause, Qt::LeftButton);
  ASSERT_EQ(pause->text(), QStringLiteral("Go on"));
  prompter.asked.clear();
  prompter.yes = false;
  EXPECT_FALSE(window->close());
  EXPECT_EQ(prompter.asked.size(), 1) << "asked, and told to stay";
  EXPECT_EQ(session().work(), Session::Work::running);
  click("stopRun");
  ASSERT_TRUE(waitFor([&] { return session().work() != Session::Work::running; }))
      << "a stop reaches a paused run, too";
  ASSERT_TRUE(idle());
  ASSERT_TRUE(session().view().report);
  EXPECT_TRUE(session().view().report->stopped);
  EXPECT_NE(session().view().report->lines[0].state, LineOutcome::State::done);
  EXPECT_FALSE(session().view().plan.lines.empty()) << "what was not reached is still on the plan";
}

TEST_F(Stations, LedgersCopyTheirRows) {
  TempFolder t;
  measureStandIn(t);
  station(2);
  auto* folders = find<QTreeView>("folders");
  chooseRow(folders, folders->model()->index(0, 0));
  key(folders, Qt::Key_C, Qt::ControlModifier);
  EXPECT_TRUE(QGuiApplication::clipboard()->text().startsWith(QStringLiteral("/\t")))
      << QGuiApplication::clipboard()->text().toStdString();
  EXPECT_TRUE(QGuiApplication::clipboard()->text().contains(QStringLiteral("232 GB")));
}

}  // namespace
}  // namespace zt::test
