// SPDX-License-Identifier: GPL-3.0-or-later
// Moving, checking, comparing, taking back: by keys in the window, on the office stand-in.
#include <QSettings>

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
  ASSERT_EQ(prompter.offered.size(), 2);
  EXPECT_TRUE(prompter.offered[0].startsWith(QLatin1String("least regret")));
  EXPECT_TRUE(prompter.offered[1].startsWith(QLatin1String("fewest steps")));
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

}  // namespace
}  // namespace zt::test
