// SPDX-License-Identifier: GPL-3.0-or-later
// Moving, checking, comparing, taking back: by keys in the window, on the office stand-in.
#include <QAction>
#include <QSettings>
#include <QTextBrowser>

#include "desktop/models/change_model.h"
#include "desktop/session/plan_desk.h"
#include "desktop/session/upkeep_desk.h"
#include "desktop/window_fixture.h"
#include "support/run_program.h"

namespace zt::test {
namespace {

class Steps : public WindowTest {
protected:
  void SetUp() override {
    WindowTest::SetUp();
    QSettings().remove(QStringLiteral("movedTo"));
    QSettings().remove(QStringLiteral("movedSecond"));
    t.folder("shelf");
  }
  /// The folder that was made on the other drive.
  std::string moved() const {
    for (const auto& e : std::filesystem::directory_iterator(t / "shelf")) return e.path();
    return {};
  }
  QTreeView* lines() { return find<QTreeView>("planLines"); }
  TempFolder t;
};

TEST_F(Steps, AThingIsMovedProvedAndBroughtBackByKeys) {
  measureStandIn(t);
  station(3);
  choose(QStringLiteral("arrivals, form-40"));
  // Not onto the drive itself.
  prompter.folders = {QString::fromStdString(t / "si/drive")};
  prompter.inTurn = {0};
  key(find<QTreeView>("finds"), Qt::Key_T);
  ASSERT_TRUE(idle());
  EXPECT_TRUE(session().view().plan.lines.empty());
  // A folder elsewhere: asked for once more, because another one was chosen last.
  prompter.folders = {QString::fromStdString(t / "shelf")};
  prompter.inTurn = {1, 0};
  choose(QStringLiteral("arrivals, form-40"));
  key(find<QTreeView>("finds"), Qt::Key_T);
  ASSERT_TRUE(idle());
  ASSERT_EQ(session().view().plan.lines.size(), 1u);
  const PlanLine line = session().view().plan.lines[0];
  EXPECT_EQ(line.step->id, "transfer");
  EXPECT_EQ(line.parameters.place("to"), t / "shelf");
  const PathBytes path = line.items.at(0).path;
  // Taken back and done again.
  station(4);
  key(window.get(), Qt::Key_Z, Qt::ControlModifier);
  ASSERT_TRUE(idle());
  EXPECT_TRUE(session().view().plan.lines.empty());
  key(window.get(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  ASSERT_TRUE(idle());
  ASSERT_EQ(session().view().plan.lines.size(), 1u);
  EXPECT_EQ(session().view().plan.lines[0].step->id, "transfer");
  // What would happen now: said at its line, and nothing is changed.
  key(lines(), Qt::Key_C);
  ASSERT_TRUE(idle());
  EXPECT_TRUE(text("planSummary").contains(QLatin1String("checked"))) << text("planSummary").toStdString();
  EXPECT_TRUE(moved().empty());
  station(5);
  agree();
  click("startRun");
  ASSERT_TRUE(waitFor([&] { return session().view().proof.has_value(); }));
  ASSERT_TRUE(idle());
  ASSERT_FALSE(moved().empty());
  EXPECT_FALSE(std::filesystem::exists(t / ("si/drive/" + path)));
  EXPECT_TRUE(std::filesystem::exists(moved() + "/" + path));
  EXPECT_EQ(runProgram(
                {"/bin/bash", "-c", "cd \"$1\" && sha256sum -c --strict --quiet SHA256SUMS", "sums", moved()})
                .status,
            0);
  station(6);
  EXPECT_TRUE(text("heldNote").contains(QLatin1String("another drive"))) << text("heldNote").toStdString();
  click("putBack");
  ASSERT_TRUE(waitFor([&] { return session().view().elsewhere.empty(); }));
  ASSERT_TRUE(idle());
  EXPECT_TRUE(std::filesystem::exists(t / ("si/drive/" + path)));
}

TEST_F(Steps, AlternativesStandSideBySideAndOneIsTaken) {
  measureStandIn(t);
  station(4);
  prompter.inTurn = {1};
  click("compare");
  ASSERT_TRUE(idle());
  ASSERT_EQ(prompter.offered.size(), 3);
  EXPECT_TRUE(prompter.offered[0].startsWith(QLatin1String("least regret")));
  EXPECT_TRUE(prompter.offered[1].startsWith(QLatin1String("fewest steps")));
  EXPECT_TRUE(prompter.offered[2].startsWith(QLatin1String("nothing that anybody would miss")));
  ASSERT_TRUE(waitFor([&] { return !session().view().plan.lines.empty(); }));
  const auto fewest = session().view().plan.lines.size();
  prompter.inTurn = {0};
  key(lines(), Qt::Key_A);
  ASSERT_TRUE(idle());
  EXPECT_GE(session().view().plan.lines.size(), fewest);
}

TEST_F(Steps, ALineIsSplitIntoItsThings) {
  measureStandIn(t);
  station(3);
  judge(QStringLiteral("old, in home/warden, not older 3 y"), Qt::Key_P);
  station(4);
  const auto things = session().view().plan.lines.at(0).items.size();
  ASSERT_GT(things, 1u);
  key(lines(), Qt::Key_S);
  ASSERT_TRUE(idle());
  EXPECT_EQ(session().view().plan.lines.size(), things);
  key(window.get(), Qt::Key_Z, Qt::ControlModifier);
  ASSERT_TRUE(idle());
  EXPECT_EQ(session().view().plan.lines.size(), 1u) << "one change, whatever it took";
}

class LeftBehind : public Steps {
protected:
  void SetUp() override {
    real.visits = Register::open(t / "data/register.sqlite").value();
    Steps::SetUp();
  }
  /// To the proof of one thing let go.
  void carryOutOld() {
    measureStandIn(t);
    PlanDesk(session()).planPaths({"old"}, {});
    ASSERT_TRUE(idle());
    station(5);
    agree();
    click("startRun");
    ASSERT_TRUE(waitFor([&] { return session().view().proof.has_value(); }));
    ASSERT_TRUE(idle());
    station(6);
  }
};

TEST_F(LeftBehind, TheSheetIsLookedAtAndSaved) {
  carryOutOld();
  click("handOver");
  auto* page = find<QTextBrowser>("sheetPage");
  ASSERT_TRUE(waitFor(
      [&] { return page->isVisible() && page->toPlainText().contains(QLatin1String("What was done")); }));
  ASSERT_TRUE(idle());
  EXPECT_FALSE(page->toPlainText().contains(QLatin1String("For the shop")));
  auto* annex = find<QCheckBox>("sheetAnnex");
  key(annex, Qt::Key_Space);
  EXPECT_TRUE(page->toPlainText().contains(QLatin1String("For the shop")));
  QTest::keyClicks(find<QLineEdit>("sheetShop"), QStringLiteral("Skerry"));
  key(find<QLineEdit>("sheetShop"), Qt::Key_Return);
  EXPECT_TRUE(page->toPlainText().contains(QLatin1String("Skerry")));
  for (const char* form : {"pdf", "html", "md", "csv", "json"}) {
    const std::string file = t / ("sheet." + std::string(form));
    prompter.newFiles = {QString::fromStdString(file)};
    click("sheetSave");
    EXPECT_GT(std::filesystem::exists(file) ? std::filesystem::file_size(file) : 0, 300u) << form;
  }
  click("sheetBack");
  EXPECT_TRUE(find<QPushButton>("handOver")->isVisible());
}

TEST_F(LeftBehind, ARuleIsTriedKeptAndDropped) {
  carryOutOld();
  click("upkeep");
  EXPECT_FALSE(find<QPushButton>("upkeepKeep")->isEnabled()) << "nothing was tried yet";
  // A stand-in is no running drive: nothing of it is taken, and it says why.
  QTest::keyClicks(find<QLineEdit>("upkeepQuestion"), QStringLiteral("trash"));
  key(find<QLineEdit>("upkeepQuestion"), Qt::Key_Return);
  ASSERT_TRUE(idle());
  ASSERT_TRUE(waitFor([&] {
    return !text("upkeepSaid").isEmpty() && text("upkeepSaid").contains(QLatin1String("trash"));
  })) << text("upkeepSaid").toStdString();
  UpkeepRule rule;
  rule.on = t.path();
  rule.action = "empty";
  rule.question = "trash";
  UpkeepDesk desk(session());
  ASSERT_TRUE(desk.keep(rule));
  click("upkeepBack");
  click("upkeep");
  auto* rules = find<QTreeView>("upkeepRules");
  ASSERT_EQ(rules->model()->rowCount(), 1);
  EXPECT_TRUE(rules->model()->index(0, 0).data().toString().contains(QLatin1String("every Monday")));
  rules->setCurrentIndex(rules->model()->index(0, 0));
  click("upkeepDrop");
  EXPECT_EQ(rules->model()->rowCount(), 0);
  EXPECT_TRUE(desk.rules().empty());
}

TEST_F(LeftBehind, TwoVisitsAreComparedByFolder) {
  measureStandIn(t);
  // An earlier visit, kept in its own job.
  const std::string file = t / "earlier.ztjob";
  {
    auto job = Job::create(real, t / "si", true, {file, true}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  }
  t.file("si/drive/home/came-since.bin", std::string(3'000'000, 'x'));
  station(1);
  find<QAction>("actDrives")->trigger();
  auto* visits = find<QTreeView>("visits");
  const auto rowOf = [&] {
    for (int i = 0; i < visits->model()->rowCount(); ++i)
      if (visits->model()->index(i, 0).data(RowsModel::idRole).toString().toStdString() == file) return i;
    return -1;
  };
  ASSERT_TRUE(waitFor([&] { return rowOf() >= 0; }));
  key(window.get(), Qt::Key_M, Qt::ControlModifier);
  ASSERT_TRUE(waitFor([&] { return session().view().survey->tree.find("home/came-since.bin").has_value(); }));
  ASSERT_TRUE(idle());
  station(1);
  visits->setCurrentIndex(visits->model()->index(rowOf(), 0));
  click("benchCompare");
  auto* changes = find<QTreeView>("changes");
  ASSERT_TRUE(waitFor([&] { return changes->isVisible() && changes->model()->rowCount() > 0; }));
  ASSERT_TRUE(idle());
  const auto* model = changes->model();
  const QModelIndex home = changes->currentIndex().siblingAtColumn(ChangeModel::nameColumn);
  EXPECT_EQ(home.data().toString(), QStringLiteral("home"))
      << "what changed most stands first, and is chosen";
  key(changes, Qt::Key_Right);
  EXPECT_TRUE(changes->isExpanded(home));
  EXPECT_EQ(model->index(0, ChangeModel::nameColumn, home).data().toString(),
            QStringLiteral("came-since.bin"));
  EXPECT_EQ(model->index(0, ChangeModel::changeColumn, home).data().toString(), QStringLiteral("came"));
  EXPECT_EQ(model->parent(model->index(0, 0, home)), home);
  EXPECT_TRUE(text("changesSummary").contains(QLatin1String("3.0 MB")))
      << text("changesSummary").toStdString();
  key(changes, Qt::Key_Escape);
  EXPECT_TRUE(find<QWidget>("shelf")->isVisible());
}

}  // namespace
}  // namespace zt::test
