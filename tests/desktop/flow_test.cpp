// SPDX-License-Identifier: GPL-3.0-or-later
// The whole flow on the stand-in drive, once by keyboard and once by mouse.
#include "desktop/window_fixture.h"

namespace zt::test {
namespace {

class Flow : public WindowTest {};

TEST_F(Flow, ByKeyboard) {
  TempFolder t;
  measureStandIn(t);
  EXPECT_EQ(window->station(), surveyStation) << "the survey is shown when it is there";
  EXPECT_NEAR(static_cast<double>(session().view().free), 9.6e9, 1e7);
  station(3);
  EXPECT_EQ(window->station(), findsStation);
  judge(QStringLiteral("trash, in home/warden"), Qt::Key_P);
  ASSERT_EQ(session().view().plan.lines.size(), 1u);
  judge(QStringLiteral("large, logger.raw"), Qt::Key_P);
  judge(QStringLiteral("large, hydrophone-a"), Qt::Key_H);
  ASSERT_EQ(session().view().plan.lines.size(), 3u);
  EXPECT_NEAR(static_cast<double>(session().view().planned.sure), 10.2e9, 1e7);
  EXPECT_GT(session().view().planned.atMost, session().view().planned.sure);

  station(5);
  auto* start = find<QPushButton>("startRun");
  EXPECT_FALSE(start->isEnabled()) << "no start without consent";
  agree();
  EXPECT_TRUE(start->isEnabled());
  start->setFocus();
  key(start, Qt::Key_Space);
  ASSERT_TRUE(waitFor([&] { return session().view().proof.has_value(); }));
  ASSERT_TRUE(idle());
  EXPECT_FALSE(t.has("si/drive/srv/virtual-machines/logger.raw"));
  EXPECT_FALSE(t.has("si/drive/srv/recordings/hydrophone-trial/hydrophone-a.wav"));
  EXPECT_NEAR(static_cast<double>(session().view().free), 19.8e9, 2e7);

  station(6);
  EXPECT_TRUE(text("heldNote").contains(QStringLiteral("1 thing")));
  auto* putBack = find<QPushButton>("putBack");
  putBack->setFocus();
  key(putBack, Qt::Key_Space);
  ASSERT_TRUE(waitFor([&] { return session().view().held.empty() && !session().busy(); }));
  EXPECT_TRUE(t.has("si/drive/srv/recordings/hydrophone-trial/hydrophone-a.wav"));
}

TEST_F(Flow, ByMouse) {
  TempFolder t;
  ASSERT_TRUE(zt::demo::build(t / "si", real.clock->now()));
  prompter.folders = {QString::fromStdString(t / "si")};
  click("openStandIn");
  ASSERT_TRUE(waitFor([&] { return standInChosen(); }));
  click("measure");
  ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
  ASSERT_TRUE(idle());
  auto* strip = find<QWidget>("stations");
  QTest::mouseClick(strip, Qt::LeftButton, {}, QPoint(36 + 166 * 3, 30));
  ASSERT_EQ(window->station(), planStation);
  click("propose");
  ASSERT_TRUE(waitFor([&] { return session().view().proposal.has_value(); }));
  ASSERT_TRUE(idle());
  EXPECT_FALSE(session().view().proposal->reached) << "the rest is for a person to decide";
  auto* decisions = find<QTreeView>("decisions");
  ASSERT_TRUE(decisions->isVisible());
  int row = -1;
  for (int i = 0; i < decisions->model()->rowCount(); ++i)
    if (decisions->model()->index(i, 0).data().toString() ==
        QStringLiteral("old/logger-image-2019/logger-disk.img"))
      row = i;
  ASSERT_GE(row, 0) << "the likeliest to go is among them";
  const QRect cell = decisions->visualRect(decisions->model()->index(row, 0));
  QTest::mouseClick(decisions->viewport(), Qt::LeftButton, {}, cell.center());
  key(decisions, Qt::Key_P);
  ASSERT_TRUE(idle());
  EXPECT_TRUE(text("planSummary").contains(QStringLiteral("reaches"))) << text("planSummary").toStdString();
  click("toReclaim");
  for (QCheckBox* tick : agreements())
    QTest::mouseClick(tick, Qt::LeftButton, {}, QPoint(8, tick->height() / 2));
  click("startRun");
  ASSERT_TRUE(waitFor([&] { return session().view().proof.has_value(); }));
  ASSERT_TRUE(idle());
  click("toProof");
  EXPECT_TRUE(text("verdicts").contains(QStringLiteral("met")));
  for (const auto& target : session().view().proof->targets) EXPECT_TRUE(target.met);
  EXPECT_NEAR(static_cast<double>(session().view().proof->promised),
              static_cast<double>(session().view().proof->actual), 65'536);
}

/// A customer's laptop of the nt family whose upgrade was refused: from the Bench to a plan that makes the
/// room, by keys, with nothing personal in it.
TEST_F(Flow, MakesRoomForTheUpgradeOfTheFerryLaptop) {
  TempFolder t;
  ASSERT_TRUE(zt::demo::build(t / "si", real.clock->now(), "ferry"));
  window->openStandIn(QString::fromStdString(t / "si"));
  ASSERT_TRUE(waitFor([&] { return standInChosen(); }));
  key(find<QWidget>("shelf"), Qt::Key_Return);
  ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
  ASSERT_TRUE(idle());
  EXPECT_NEAR(static_cast<double>(session().view().free), 5.3e9, 1e7);
  station(3);
  const QString ladder =
      find<FindsStation>("findsStation")->findChild<LadderStrip*>(QStringLiteral("ladder"))->tableTwin();
  EXPECT_TRUE(ladder.contains(QStringLiteral("nothing to regret"))) << ladder.toStdString();
  station(4);
  key(window.get(), Qt::Key_P, Qt::ControlModifier);
  ASSERT_TRUE(waitFor([&] { return session().view().proposal.has_value(); }));
  ASSERT_TRUE(idle());
  const Proposal& proposal = *session().view().proposal;
  EXPECT_TRUE(proposal.reached);
  EXPECT_GE(session().view().free + session().view().planned.sure, 22'000'000'000u);
  ASSERT_FALSE(session().view().plan.lines.empty());
  for (const PlanLine& line : session().view().plan.lines) {
    EXPECT_LE(line.found, Regret::wayBack) << line.place;
    for (const Subject& item : line.items)
      for (const char* personal :
           {"Documents", "Pictures", "OneDrive", "holiday", ".pst", "NTUSER", "IndexedDB"})
        EXPECT_EQ(item.path.find(personal), PathBytes::npos) << item.path;
  }
}

TEST_F(Flow, ReleaseAsksFirst) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  judge(QStringLiteral("large, hydrophone-a"), Qt::Key_H);
  station(5);
  click("startRun");
  ASSERT_TRUE(waitFor([&] { return session().view().proof.has_value(); }));
  ASSERT_TRUE(idle());
  station(6);
  prompter.yes = false;
  click("release");
  ASSERT_TRUE(waitFor([&] { return prompter.asked.size() == 1; }));
  ASSERT_TRUE(idle());
  EXPECT_EQ(session().view().held.size(), 1u);
  prompter.yes = true;
  click("release");
  ASSERT_TRUE(waitFor([&] { return session().view().held.empty() && !session().busy(); }));
  EXPECT_FALSE(t.has("si/drive/.zip-tally-hold"));
}

TEST_F(Flow, AJobComesBack) {
  TempFolder t;
  measureStandIn(t);
  station(3);
  judge(QStringLiteral("large, logger.raw"), Qt::Key_P);
  const QString file = QString::fromStdString(session().view().file);
  window = nullptr;
  SetUp();
  prompter.files = {file};
  click("openJob");
  ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
  EXPECT_EQ(session().view().plan.lines.size(), 1u);
}

}  // namespace
}  // namespace zt::test
