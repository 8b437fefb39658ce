// SPDX-License-Identifier: GPL-3.0-or-later
// `Session` by itself: queues, stops, views that stay what they were, and failures that leave all as it
// was.
#include "desktop/session/session.h"

#include <gtest/gtest.h>

#include <QImage>
#include <QSignalSpy>
#include <QTest>

#include "desktop/session/drive_watch.h"
#include "desktop/session/glance.h"
#include "desktop/session/measure_desk.h"
#include "desktop/session/plan_desk.h"
#include "support/fakes.h"
#include "support/stuck_file_system.h"
#include "support/temp_folder.h"

namespace zt::test {
using namespace zt::desktop;
namespace {

/// In the middle of a run nothing is promised by lines that nobody agreed to, and free is what the counter
/// says.
TEST(RunsSoFar, CountOnlyWhatWasAgreedTo) {
  JobView view;
  const auto craft = builtInCraft();
  for (const char* id : {"one", "two"}) {
    PlanLine line;
    line.id = id;
    line.step = craft->steps.find("discard");
    line.standing = Standing::spent;
    view.plan.lines.push_back(line);
    view.adds.push_back({4'000, 4'000});
  }
  view.planned.sure = view.planned.atMost = 8'000;
  view.free = 1'000;
  RunSoFar run = beginningOf(view, {"two"}, 5 * nsPerSecond);
  EXPECT_EQ(run.promised, 4'000u);
  LineOutcome outcome;
  outcome.line = "one";
  outcome.freed = {1'000, 1'500};
  run.take({outcome, true, 2'200});
  EXPECT_EQ(run.atWork, "one");
  EXPECT_EQ(run.toCome(), 3'000u);
  EXPECT_DOUBLE_EQ(run.share(), 0.25);
  EXPECT_EQ(run.secondsLeft(6 * nsPerSecond), 0) << "nobody can tell yet";
  EXPECT_DOUBLE_EQ(run.secondsLeft(15 * nsPerSecond), 30);
  DrivePicture picture;
  picture.strata[static_cast<std::size_t>(Standing::spent)] = 9'000;
  const DrivePicture during = duringRun(picture, view, run);
  EXPECT_EQ(during.free, 2'200u) << "as the drive's counter says";
  EXPECT_EQ(during.planned.sure, 3'000u);
  EXPECT_EQ(during.strata[static_cast<std::size_t>(Standing::spent)], 7'500u);
}

struct Desk : ::testing::Test {
  void SetUp() override {
    t.file("place/tapes/one.wav", 300'000);
    t.file("place/tapes/two.wav", 200'000);
    session = std::make_unique<Session>(real);
  }
  bool idle() {
    return QTest::qWaitFor([&] { return session->work() == Session::Work::none; }, 30'000);
  }
  void openAndMeasure() {
    MeasureDesk(*session).openPlace(t / "place", false, {{}, false});
    ASSERT_TRUE(idle());
    MeasureDesk(*session).measure(false);
    ASSERT_TRUE(idle());
    ASSERT_NE(session->view().survey, nullptr);
  }
  TempFolder t;
  Workshop real = realWorkshop();
  std::unique_ptr<Session> session;
  std::unique_ptr<Glance> glance = std::make_unique<Glance>();
};

TEST(WorkQueueTest, DoesOneAfterAnotherAndStopsEachByItself) {
  std::vector<int> order;
  std::atomic<bool> firstStopped = false;
  std::atomic<bool> secondStopped = false;
  std::atomic<bool> done = false;
  WorkQueue queue(QStringLiteral("test"));
  auto first = queue.post([&](const std::stop_token& stop) {
    while (!stop.stop_requested()) QThread::usleep(100);
    firstStopped = true;
    order.push_back(1);
  });
  queue.post([&](const std::stop_token& stop) {
    secondStopped = stop.stop_requested();
    order.push_back(2);
    done = true;
  });
  first.request_stop();
  ASSERT_TRUE(QTest::qWaitFor([&] { return done.load(); }, 10'000));
  EXPECT_EQ(order, (std::vector<int>{1, 2}));
  EXPECT_TRUE(firstStopped);
  EXPECT_FALSE(secondStopped) << "who stops one does not stop the next";
}

TEST(WorkQueueTest, EndsWithTheWorkAtHandAndBeginsNothingMore) {
  std::atomic<int> begun = 0;
  std::atomic<bool> stopped = false;
  {
    WorkQueue queue(QStringLiteral("test"));
    queue.post([&](const std::stop_token& stop) {
      ++begun;
      while (!stop.stop_requested()) QThread::usleep(100);
      stopped = true;
    });
    queue.post([&](const std::stop_token&) { ++begun; });
    while (begun == 0) QThread::usleep(100);
  }
  EXPECT_TRUE(stopped);
  EXPECT_EQ(begun, 1);
}

TEST_F(Desk, ViewsStayWhatTheyWere) {
  openAndMeasure();
  const auto before = session->sharedView();
  PlanDesk desk(*session);
  desk.planPaths({"tapes/one.wav"}, "hold");
  ASSERT_TRUE(idle());
  EXPECT_TRUE(before->plan.lines.empty());
  EXPECT_EQ(session->view().plan.lines.size(), 1u);
  EXPECT_EQ(before->survey, session->view().survey) << "what has not changed is shared";
  EXPECT_EQ(before->composition, session->view().composition);
}

/// A second place that cannot be opened: nothing of the first is measured in its stead, and it stays open.
TEST_F(Desk, AFailedOpeningLeavesTheOpenJobAlone) {
  openAndMeasure();
  const SurveyPtr survey = session->view().survey;
  QSignalSpy failures(session.get(), &Session::failed);
  QSignalSpy opened(session.get(), &Session::opened);
  MeasureDesk(*session).openPlace(t / "no-such-place", false, {{}, false});
  ASSERT_TRUE(idle());
  EXPECT_EQ(failures.size(), 1);
  EXPECT_EQ(opened.size(), 0) << "nobody is told to measure";
  EXPECT_EQ(session->view().survey, survey);
}

TEST_F(Desk, LooksIntoFilesBesideTheWork) {
  QImage picture(3000, 1500, QImage::Format_RGB32);
  picture.fill(Qt::darkCyan);
  ASSERT_TRUE(picture.save(QString::fromStdString(t / "place/chart.png")));
  t.file("place/notes.txt", "first line\n");
  openAndMeasure();
  std::vector<PathBytes> answered;
  std::optional<Result<Glimpse>> seen;
  const auto look = [&](const PathBytes& path) {
    seen.reset();
    glance->look(session->sharedView(), path, [&, path](const Result<Glimpse>& glimpse) {
      answered.push_back(path);
      seen = glimpse;
    });
  };
  const auto answer = [&] { return QTest::qWaitFor([&] { return seen.has_value(); }, 10'000); };
  look("chart.png");
  look("notes.txt");
  ASSERT_TRUE(answer());
  ASSERT_TRUE(*seen);
  EXPECT_EQ((*seen)->peek.head, "first line\n");
  EXPECT_EQ(answered, std::vector<PathBytes>{"notes.txt"}) << "only the latest is answered";
  look("chart.png");
  ASSERT_TRUE(answer());
  EXPECT_EQ((*seen)->size, QSize(3000, 1500));
  EXPECT_EQ((*seen)->picture.size(), QSize(1200, 600)) << "no larger than a window";
  for (const char* gone : {"tapes/none.wav", "tapes/one.wav"}) {
    if (gone == PathBytes("tapes/one.wav")) t.file("place/tapes/one.wav", 7);
    look(gone);
    ASSERT_TRUE(answer());
    ASSERT_FALSE(*seen);
    EXPECT_EQ(seen->error().code, gone == PathBytes("tapes/one.wav") ? Errc::changed : Errc::notThere);
  }
}

TEST_F(Desk, ADriveThatDoesNotAnswerHoldsUpNeitherLooksNorTheEnd) {
  const auto stuck = std::make_shared<StuckFileSystem>(real.files);
  stuck->open = true;
  real.files = stuck;
  t.file("place/stuck/notes.txt", "first line\n");
  session = std::make_unique<Session>(real);
  openAndMeasure();
  {
    const std::scoped_lock lock(stuck->mutex);
    stuck->open = false;
  }
  std::vector<Errc> said;
  for (int i = 0; i < 9; ++i)
    glance->look(session->sharedView(), "stuck/notes.txt", [&](const Result<Glimpse>& g) {
      said.push_back(g.error().code);
      if (said.size() == 1)  // who is answered may look again
        glance->look(session->sharedView(), "stuck/none",
                     [&](const Result<Glimpse>& again) { said.push_back(again.error().code); });
    });
  ASSERT_TRUE(QTest::qWaitFor([&] { return !said.empty(); }, 10'000));
  EXPECT_EQ(said.front(), Errc::unanswered);
  session.reset();
  glance.reset();  // who is answered now is gone
  stuck->letGo();
}

TEST_F(Desk, FindsAreShownAsTheyCome) {
  for (int i = 0; i < 400; ++i) {
    t.file("place/many/f" + std::to_string(i), 1'200'000);
    t.age("place/many/f" + std::to_string(i), 900);
  }
  MeasureDesk(*session).openPlace(t / "place", false, {{}, false});
  ASSERT_TRUE(idle());
  QSignalSpy came(session.get(), &Session::findsCame);
  bool seen = false;
  QObject::connect(session.get(), &Session::findsCame, session.get(), [&] {
    seen = session->coming() != nullptr && !session->coming()->finds.empty() &&
           session->coming()->context != nullptr;
  });
  MeasureDesk(*session).measure(false);
  ASSERT_TRUE(idle());
  EXPECT_GE(came.size(), 1);
  EXPECT_TRUE(seen);
  EXPECT_EQ(session->coming(), nullptr) << "not beside what they became";
  EXPECT_FALSE(session->view().finds->empty());
}

TEST_F(Desk, ChangesOfThePlanAreOneChangeEach) {
  openAndMeasure();
  PlanDesk desk(*session);
  QSignalSpy changes(session.get(), &Session::changed);
  QSignalSpy failures(session.get(), &Session::failed);
  desk.planPaths({"tapes/one.wav", "tapes/none.wav"}, "hold");
  ASSERT_TRUE(idle());
  EXPECT_EQ(failures.size(), 1);
  EXPECT_TRUE(session->view().plan.lines.empty()) << "all or nothing";
  desk.planPaths({"tapes/one.wav", "tapes/two.wav"}, "hold");
  ASSERT_TRUE(idle());
  EXPECT_EQ(changes.size(), 2);
  ASSERT_EQ(session->view().plan.lines.size(), 2u);
  const std::string first = session->view().plan.lines[0].id;
  desk.moveLine(first, 1);
  ASSERT_TRUE(idle());
  EXPECT_EQ(session->view().plan.lines[1].id, first);
  desk.nextAction(first);
  ASSERT_TRUE(idle());
  EXPECT_NE(session->view().plan.find(first)->step->id, "hold");
  desk.mark({"tapes/one.wav"}, Mark::keep);
  ASSERT_TRUE(idle());
  EXPECT_EQ(session->view().plan.lines.size(), 1u);
  EXPECT_EQ(session->view().left.size(), 1u) << "and it is said";
}

TEST(DriveWatchTest, TellsOfEarlierVisitsAndHeldThings) {
  TempFolder t;
  t.file("si/manifest.json",
         std::string(R"({"format":"zip-tally-stand-in","version":1,"id":"jetty","role":"data",)") +
             R"("kind":"rotating","capacity_bytes":50000000})");
  t.file("si/drive/tapes/one.wav", 300'000);
  Workshop w = realWorkshop();
  w.visits = Register::open(t / "register.sqlite").value();
  {
    auto job = Job::create(w, t / "si", true, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    ASSERT_TRUE(job->planBook().addPaths({"tapes/one.wav"}, "hold"));
    ASSERT_TRUE(job->reclaim(job->planBook().consent().token, {}));
  }
  DriveWatch watch(w);
  QSignalSpy looked(&watch, &DriveWatch::looked);
  watch.addStandIn(t / "si");
  ASSERT_TRUE(looked.wait(10'000));
  ASSERT_EQ(watch.drives().size(), 1u);
  const DriveAtHand at = watch.drives()[0];
  EXPECT_TRUE(at.standIn);
  ASSERT_EQ(at.visits.size(), 2u);
  EXPECT_EQ(at.visits[0].kind, VisitKind::measured);
  EXPECT_EQ(at.visits[1].kind, VisitKind::ran);
  ASSERT_EQ(at.held.size(), 1u);
  EXPECT_FALSE(at.targets.empty()) << "headroom is known before anything is measured";
  QSignalSpy back(&watch, &DriveWatch::putBackEnded);
  watch.putBack(at);
  ASSERT_TRUE(back.wait(10'000));
  EXPECT_TRUE(t.has("si/drive/tapes/one.wav"));
  QSignalSpy failed(&watch, &DriveWatch::failed);
  watch.addStandIn(t / "nowhere");
  ASSERT_TRUE(failed.wait(10'000));
}

}  // namespace
}  // namespace zt::test
