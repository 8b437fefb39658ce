// SPDX-License-Identifier: GPL-3.0-or-later
// What the program does not know reaches the window by the tables alone: a step with its words, contents that
// are compared in a new way, and a station.
#include "support/outside_craft.h"
#include "desktop/session/measure_desk.h"
#include "desktop/window_fixture.h"

namespace zt::test {
namespace {

/// A seventh station: how many lines stand on the plan, and a way to the Bench.
class Manifest final : public Station {
public:
  Manifest(Session& session, Prompter& prompter, QWidget* parent) : Station(session, prompter, parent) {
    auto* page = setupPages("manifestStation");
    count_ = noteLabel({}, page, "manifestCount");
    auto* back = button(QStringLiteral("Bench"), "manifestBack", page);
    connect(back, &QPushButton::clicked, this, [this] { Q_EMIT goTo(benchStation); });
  }
  void refresh() override {
    showPage(ready());
    count_->setText(figure());
  }
  QString figure() const override { return QStringLiteral("%1 crates").arg(view().plan.lines.size()); }
  bool ready() const override { return view().survey != nullptr; }
  QString waitsFor() const override { return QStringLiteral("The manifest waits for a measurement."); }

private:
  QLabel* count_;
};

class OutsideCraft : public WindowTest {
protected:
  void SetUp() override {
    StationTable stations = builtInStations();
    stations.push_back(
        {"manifest", "Manifest", "&Manifest", "plan", [](const StationTools& tools, QWidget* parent) {
           return new Manifest(tools.session, tools.prompter, parent);
         }});
    window = std::make_unique<MainWindow>(outside, prompter, stations);
    window->show();
    window->resize(1280, 800);
    ASSERT_TRUE(QTest::qWaitForWindowExposed(window.get()));
  }
  void measure() {
    MeasureDesk(session()).openPlace(t / "drive", false, {{}, false});
    ASSERT_TRUE(idle());
    MeasureDesk(session()).measure(false);
    ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
    ASSERT_TRUE(idle());
  }
  TempFolder t;
  Workshop outside = workshopWithOutsideCraft();
};

TEST_F(OutsideCraft, AStationOfItsOwnIsReachedWaitsAndShowsTheWork) {
  t.file("drive/crate-1", 300'000);
  station(7);
  EXPECT_EQ(window->station(), "manifest");
  auto* page = find<QWidget>("manifestStation");
  EXPECT_TRUE(page->isVisible());
  EXPECT_EQ(page->findChild<QLabel*>(QStringLiteral("waiting"))->text(),
            QStringLiteral("The manifest waits for a measurement."));
  measure();
  window->goTo("manifest");
  EXPECT_EQ(find<QLabel>("manifestCount")->text(), QStringLiteral("0 crates"));
  EXPECT_TRUE(window->windowTitle().contains(QStringLiteral("Manifest")));
  click("manifestBack");
  EXPECT_EQ(window->station(), benchStation);
  window->goTo("no-such-station");
  EXPECT_EQ(window->station(), benchStation) << "nothing happens";
}

TEST_F(OutsideCraft, AStepOfItsOwnIsShownInItsOwnWords) {
  t.file("drive/crate-1", 300'000);
  measure();
  station(3);
  choose(QStringLiteral("crate-1"));
  key(find<QTreeView>("finds"), Qt::Key_P);
  ASSERT_TRUE(idle());
  EXPECT_TRUE(session().view().plan.lines.empty()) << "it is not said where to";
  EXPECT_TRUE(find<QLabel>("failure")->isVisible());
  session().post(Session::Work::editing, [this](std::unique_ptr<Job>& job, std::stop_token) -> Result<void> {
    StepParameters told;
    told.set("to", StepParameters::Place{t / "quay"});
    for (const Find& f : *job->surveys().finds())
      if (f.kind == "ferry-goods") return job->planBook().add({f.id}, "ferry", {}, told);
    return fail(Errc::notThere, "test");
  });
  ASSERT_TRUE(idle());
  ASSERT_EQ(session().view().plan.lines.size(), 1u);
  const QString said = find<QTreeView>("finds")->currentIndex().data(Qt::AccessibleTextRole).toString();
  EXPECT_TRUE(said.contains(QStringLiteral("to ferry"))) << said.toStdString();
  station(4);
  const auto* lines = find<QTreeView>("planLines");
  bool named = false;
  for (int c = 0; c < lines->model()->columnCount(); ++c)
    named = named || lines->model()->index(0, c).data().toString() == QStringLiteral("ferry over");
  EXPECT_TRUE(named);
  station(5);
  bool where = false;
  for (const QLabel* label : find<QWidget>("reclaimStation")->findChildren<QLabel*>())
    where = where || label->text().contains(QString::fromStdString("to: " + t / "quay"));
  EXPECT_TRUE(where) << "where to is read before it is agreed to";
  bool lost = false;
  for (const QLabel* label : find<QWidget>("reclaimStation")->findChildren<QLabel*>())
    lost = lost || label->text().contains(QStringLiteral("goes over to another drive"));
  EXPECT_TRUE(lost);
}

TEST_F(OutsideCraft, ContentsOfItsOwnKindAreFinds) {
  t.file("drive/one", "cargo:rope");
  t.file("drive/two", "cargo:rope");
  measure();
  MeasureDesk(session()).match(1);
  ASSERT_TRUE(idle());
  station(3);
  bool there = false;
  for (const Find& f : *session().view().finds) there = there || f.kind == "cargo";
  EXPECT_TRUE(there);
  choose(QStringLiteral("cargo"));
  EXPECT_TRUE(find<QTreeView>("finds")->currentIndex().isValid());
}

}  // namespace
}  // namespace zt::test
