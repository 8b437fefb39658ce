// SPDX-License-Identifier: GPL-3.0-or-later
// Makes the pictures of docs/screenshots, of the three stand-in drives. Drives the window as a user would.
#include <QAction>
#include <QApplication>
#include <QCheckBox>
#include <QDialog>
#include <QDir>
#include <QLineEdit>
#include <QPushButton>
#include <QTableView>
#include <QTest>
#include <QTreeView>
#include <cstdio>

#include "core/job/linux_workshop.h"
#include "core/os/forwarding_file_system.h"
#include "desktop/frame/main_window.h"
#include "desktop/session/upkeep_desk.h"
#include "desktop/stations/bench/bench_station.h"
#include "desktop/stations/finds/finds_station.h"
#include "desktop/stations/plan/plan_station.h"
#include "desktop/stations/proof/proof_station.h"
#include "desktop/stations/reclaim/reclaim_station.h"
#include "desktop/stations/survey/survey_station.h"
#include "tests/support/yes_prompter.h"

namespace {

using namespace zt;
using namespace zt::desktop;

bool waitFor(const std::function<bool()>& done) {
  return QTest::qWaitFor(done, 60000);
}

/// Lets the walk be watched: every folder takes its time.
class Leisurely final : public ForwardingFileSystem {
public:
  using ForwardingFileSystem::ForwardingFileSystem;
  Result<void> scan(const Folder& at, ScanSink& sink) override {
    QThread::usleep(500);
    return inner_.scan(at, sink);
  }
};

struct Studio {
  MainWindow& window;
  QString out;
  QString suffix;
  bool grab(const QString& name) {
    QTest::qWait(50);
    return window.grab().save(out + QLatin1Char('/') + name + suffix + QStringLiteral(".png"));
  }
  template <class T>
  T* find(const QByteArray& name) {
    return window.findChild<T*>(QLatin1String(name.constData()));
  }
  bool idle() {
    return waitFor([&] { return session().work() == Session::Work::none; });
  }
  Session& session() { return window.session(); }
};

/// Where things are moved to.
QString shelf() {
  return QStringLiteral("/tmp/shelf");
}

/// The first find that answers a question, with its evidence.
void findsFor(Studio& s, const QString& question, const QString& name,
              const std::function<void()>& before = {}) {
  auto* list = s.find<QTreeView>("finds");
  auto* line = s.find<QLineEdit>("findsFilter");
  line->setText(question);
  QTest::keyClick(line, Qt::Key_Return);
  QTest::keyClick(list, Qt::Key_Home);
  QTest::keyClick(list, Qt::Key_Down);
  QTest::qWait(600);  // what is inside comes a little later
  if (before) before();
  s.grab(name);
  line->clear();
}

/// From the plan to the proof.
void carriedOut(Studio& s) {
  s.window.goTo(planStation);
  QTest::mouseClick(s.find<QPushButton>("propose"), Qt::LeftButton);
  waitFor([&] { return s.session().view().proposal.has_value(); });
  PlanDesk(s.session()).planPaths({"old"}, {});
  PlanDesk(s.session()).planPaths({"srv/recordings/dawn-chorus/2023"}, "hold");
  s.idle();
  QDir().mkpath(shelf());
  StepParameters told;
  told.set("to", StepParameters::Place{shelf().toStdString()});
  for (const Find& find : *s.session().view().finds)
    if (find.kind == "stale-backups" && find.items.size() > 1) {
      PlanDesk(s.session()).planFinds({find.id}, "transfer", {}, told);
      break;
    }
  s.idle();
  QTest::mouseClick(s.find<QPushButton>("checkNow"), Qt::LeftButton);
  s.idle();
  s.grab(QStringLiteral("plan"));
  s.window.goTo(reclaimStation);
  s.grab(QStringLiteral("reclaim"));
  for (QCheckBox* tick : s.window.findChildren<QCheckBox*>())
    if (tick->objectName().startsWith(QLatin1String("agree-"))) tick->setChecked(true);
  QTest::mouseClick(s.find<QPushButton>("startRun"), Qt::LeftButton);
  waitFor([&] { return s.session().view().proof.has_value(); });
  s.idle();
  s.window.goTo(proofStation);
  s.grab(QStringLiteral("proof"));
  UpkeepDesk desk(s.session());
  for (const auto& [action, question, when] :
       {std::tuple("empty", "trash", UpkeepWhen::weekly),
        std::tuple("discard", "caches, over 100 MB", UpkeepWhen::monthly)}) {
    UpkeepRule rule;
    rule.on = "/home";
    rule.action = action;
    rule.question = question;
    rule.when = when;
    (void)desk.keep(rule);
  }
  QTest::mouseClick(s.find<QPushButton>("upkeep"), Qt::LeftButton);
  QTest::keyClick(s.find<QTreeView>("upkeepRules"), Qt::Key_Down);
  QTest::qWait(300);
  s.grab(QStringLiteral("upkeep"));
  QTest::mouseClick(s.find<QPushButton>("upkeepBack"), Qt::LeftButton);
  QDir(shelf()).removeRecursively();
  s.window.goTo(benchStation);
  s.find<QAction>("actDrives")->trigger();
  QTest::qWait(800);
  s.grab(QStringLiteral("bench-held"));
  s.find<QAction>("actExplain")->trigger();
  if (auto* book = s.find<QDialog>("wordBook")) {
    QTest::qWait(100);
    book->grab().save(s.out + QStringLiteral("/words") + s.suffix + QStringLiteral(".png"));
    delete book;
  }
}

void whole(Studio& s, const QString& standIn) {
  s.window.goTo(surveyStation);
  s.window.openStandIn(standIn);
  waitFor([&] {
    const auto* shelf = s.find<DriveShelf>("shelf");
    return shelf->chosen() >= 0 && shelf->drives()[shelf->chosen()].standIn;
  });
  QTest::qWait(300);
  s.grab(QStringLiteral("bench"));
  QTest::mouseClick(s.find<QPushButton>("measure"), Qt::LeftButton);
  // Half way through: paused, so that the picture shows it.
  s.window.goTo(surveyStation);
  waitFor([&] { return s.session().live() != nullptr && s.session().live()->occupied(0) > 40'000'000'000; });
  QTest::keyClick(&s.window, Qt::Key_B, Qt::ControlModifier);
  QTest::qWait(120);
  s.grab(QStringLiteral("live"));
  QTest::keyClick(&s.window, Qt::Key_B, Qt::ControlModifier);
  waitFor([&] { return s.session().view().survey != nullptr; });
  s.idle();
  s.window.goTo(surveyStation);
  auto* tree = s.find<QTreeView>("folders");
  tree->expand(tree->model()->index(0, 0, tree->model()->index(0, 0)));
  s.grab(QStringLiteral("survey"));
  QTest::mouseClick(s.find<QPushButton>("lens0"), Qt::LeftButton);
  s.find<QLineEdit>("surveyFilter")->setText(QStringLiteral("video, over 100 MB, files"));
  auto* list = s.find<QTableView>("entryList");
  waitFor([&] { return list->model()->rowCount() > 3; });
  QTest::qWait(200);
  s.grab(QStringLiteral("list"));
  s.find<QLineEdit>("surveyFilter")->clear();
  s.window.findChild<SurveyStation*>()->showFace(SurveyStation::fieldFace);
  auto* grid = s.find<AgeSizeGrid>("ageSizeGrid");
  QTest::keyClick(grid, Qt::Key_Down);
  QTest::keyClick(grid, Qt::Key_Left, Qt::ShiftModifier);
  QTest::keyClick(grid, Qt::Key_Up, Qt::ShiftModifier);
  s.grab(QStringLiteral("field"));
  s.window.findChild<SurveyStation*>()->showFace(SurveyStation::foldersFace);
  s.window.goTo(findsStation);
  QTest::qWait(600);  // what is inside comes a little later
  s.grab(QStringLiteral("finds"));
  QTest::keyClick(&s.window, Qt::Key_D, Qt::ControlModifier);
  waitFor([&] { return s.session().work() == Session::Work::matching; });
  s.idle();
  findsFor(s, QStringLiteral("duplicates"), QStringLiteral("finds-equal"));
  findsFor(s, QStringLiteral("images"), QStringLiteral("finds-image"));
  findsFor(s, QStringLiteral("points"), QStringLiteral("finds-points"), [&s] {
    auto* line = s.find<QWidget>("pointsLine");
    line->setFocus();
    QTest::keyClick(line, Qt::Key_Home);
    QTest::keyClick(line, Qt::Key_Right, Qt::ShiftModifier);
  });
  findsFor(s, QStringLiteral("large, hydrophone-b"), QStringLiteral("finds-pinned"));
  carriedOut(s);
}

/// A drive of another family: its finds, the first one that answers a question, or a plan for its target.
void family(Studio& s, const QString& standIn, const QString& name, const QString& question, bool plan) {
  s.window.goTo(benchStation);
  const auto before = s.session().view().survey;
  s.window.openStandIn(standIn);
  QTest::qWait(500);
  QTest::mouseClick(s.find<QPushButton>("measure"), Qt::LeftButton);
  waitFor([&] { return s.session().view().survey != nullptr && s.session().view().survey != before; });
  s.idle();
  s.window.goTo(findsStation);
  if (!plan) return findsFor(s, question, QStringLiteral("finds-") + name);
  s.window.goTo(planStation);
  QTest::mouseClick(s.find<QPushButton>("propose"), Qt::LeftButton);
  waitFor([&] { return s.session().view().proposal.has_value(); });
  s.idle();
  s.grab(QStringLiteral("plan-") + name);
}

}  // namespace

int main(int argc, char** argv) {
  QApplication app(argc, argv);
  QApplication::setApplicationName(QStringLiteral("zip-tally"));
  QApplication::setOrganizationName(QStringLiteral("zip-tally"));
  if (argc < 3)
    return std::fprintf(stderr, "usage: zt_shots STAND-IN OUT [WIDTHxHEIGHT light|dark [NT MAC]]\n"), 2;
  Workshop workshop = linuxWorkshop();
  workshop.files = std::make_shared<Leisurely>(workshop.files);
  zt::test::YesPrompter prompter;
  MainWindow window(workshop, prompter);
  const QStringList size = argc > 3 ? QString::fromLocal8Bit(argv[3]).split(QLatin1Char('x'))
                                    : QStringList{QStringLiteral("1280"), QStringLiteral("800")};
  window.resize(size.value(0).toInt(), size.value(1).toInt());
  window.show();
  const bool dark = argc > 4 && qstrcmp(argv[4], "dark") == 0;
  if (dark) window.findChild<QAction*>(QStringLiteral("actDark"))->setChecked(true);
  Studio studio{window, QString::fromLocal8Bit(argv[2]), dark ? QStringLiteral("-dark") : QString()};
  whole(studio, QString::fromLocal8Bit(argv[1]));
  if (argc > 6) {
    family(studio, QString::fromLocal8Bit(argv[5]), QStringLiteral("nt"),
           QStringLiteral("leftovers, unjudged"), false);
    family(studio, QString::fromLocal8Bit(argv[6]), QStringLiteral("mac"), {}, true);
  }
  if (dark || (argc > 3 && argc < 7)) return 0;
  // One picture of the dark face, of the station with the most in it.
  window.findChild<QAction*>(QStringLiteral("actDark"))->setChecked(true);
  window.goTo(findsStation);
  studio.grab(QStringLiteral("finds-dark"));
  window.findChild<QAction*>(QStringLiteral("actDark"))->setChecked(false);
  return 0;
}
