// SPDX-License-Identifier: GPL-3.0-or-later
// Prints how long the window takes over a survey of a million files: to its first paint, to the first rows of
// a list, to sort by each column, to filter as typed; and the longest that any one event held the GUI thread.
// usage: zt_bench_desktop FOLDER (such as zt_bench makes). Needs no display: QT_QPA_PLATFORM=offscreen.
#include <QApplication>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QTableView>
#include <QTemporaryDir>
#include <QTest>
#include <cstdio>

#include "core/job/linux_workshop.h"
#include "core/os/linux/limits.h"
#include "desktop/charts/points_line.h"
#include "desktop/frame/main_window.h"
#include "desktop/models/entry_list_model.h"
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

/// Seconds that this thread has been on a processor: steadier than the clock on the wall where others use the
/// machine too.
double threadSeconds() {
  timespec t{};
  ::clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
  return static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_nsec) / 1e9;
}

/// Notes the longest time that one event took, by the clock and on the processor.
class Watched final : public QApplication {
public:
  using QApplication::QApplication;
  bool notify(QObject* receiver, QEvent* event) override {
    if (depth_ > 0 || QThread::currentThread() != thread()) return QApplication::notify(receiver, event);
    ++depth_;
    const int type = event->type();
    QElapsedTimer timer;
    timer.start();
    const double before = threadSeconds();
    const bool done = QApplication::notify(receiver, event);
    longest = std::max(longest, timer.nsecsElapsed());
    mostWork = std::max(mostWork, (threadSeconds() - before) * 1000);
    if (timer.elapsed() > 15 && qEnvironmentVariableIsSet("ZT_BENCH_EVENTS"))
      std::printf("  event %d to %s took %lld ms\n", type, receiver->metaObject()->className(),
                  static_cast<long long>(timer.elapsed()));
    --depth_;
    return done;
  }
  void reset() { longest = 0, mostWork = 0; }
  double longestMs() const { return static_cast<double>(longest) / 1e6; }
  qint64 longest = 0;
  double mostWork = 0;  ///< ms

private:
  int depth_ = 0;
};

/// Waits without sleeping in large steps; gives milliseconds.
double until(const std::function<bool()>& done) {
  QElapsedTimer timer;
  timer.start();
  while (!done() && timer.elapsed() < 120'000)
    QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents | QEventLoop::AllEvents, 5);
  return static_cast<double>(timer.nsecsElapsed()) / 1e6;
}

struct Measured {
  double first = 0;
  double whole = 0;
};

/// A range over 2,000 snapshots, widened step by step, each step with its picture.
void widenARange(Watched& app) {
  constexpr int points = 2'000;
  PointsPicture picture;
  for (int i = 0; i < points; ++i)
    picture.marks.push_back({(i + 1) * nsPerDay, Bytes{1'000'000} * static_cast<Bytes>(1 + i % 97),
                             i + 1 == points, QStringLiteral("snapshot %1").arg(i)});
  for (std::size_t i = 0; i + 3 < points; ++i) picture.spans.push_back({i, i + 1 + i % 3, Bytes{500'000}});
  PointsLine line;
  line.resize(520, 160);
  static_cast<QWidget&>(line).show();
  line.show(std::move(picture));
  QTest::keyClick(&line, Qt::Key_Home);
  app.reset();
  for (int i = 0; i < 300; ++i) {
    QTest::keyClick(&line, Qt::Key_Right, Qt::ShiftModifier);
    line.repaint();
  }
  std::printf("a range over 2,000 snapshots: longest slice %.1f ms (%.1f on the processor)\n",
              app.longestMs(), app.mostWork);
}

}  // namespace

int main(int argc, char** argv) {
  keepLargeBlocksApart();
  if (argc < 2) return std::fprintf(stderr, "usage: zt_bench_desktop FOLDER\n"), 2;
  QElapsedTimer start;
  start.start();
  QTemporaryDir home;
  for (const char* name : {"HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME"})
    qputenv(name, home.path().toLocal8Bit());
  Watched app(argc, argv);
  widenARange(app);
  const Workshop workshop = linuxWorkshop();
  zt::test::YesPrompter prompter;
  MainWindow window(workshop, prompter);
  window.show();
  QCoreApplication::processEvents();
  std::printf("first paint after %lld ms\n", static_cast<long long>(start.elapsed()));
  app.reset();
  window.openPlace(QString::fromLocal8Bit(argv[1]));
  window.goTo(surveyStation);
  const double measured =
      until([&] { return window.session().view().survey != nullptr && !window.session().busy(); });
  std::printf("measured %u entries in %.0f ms; longest slice %.1f ms (%.1f on the processor)\n",
              window.session().view().survey->tree.entries(), measured, app.longestMs(), app.mostWork);
  auto* filter = window.findChild<QLineEdit*>(QStringLiteral("surveyFilter"));
  auto* list = window.findChild<QTableView*>(QStringLiteral("entryList"));
  auto* model = qobject_cast<EntryListModel*>(list->model());
  const auto ask = [&](const char* what, const std::function<void()>& act) {
    const ListAnswer* before = model->answer();
    app.reset();
    QElapsedTimer own;
    own.start();
    act();
    const double direct = static_cast<double>(own.nsecsElapsed()) / 1e6;
    Measured m;
    m.first = direct + until([&] { return model->answer() != nullptr && model->answer() != before; });
    list->viewport()->repaint();
    m.whole = m.first + until([&] { return model->answer()->inOrder == model->answer()->rows.size(); });
    std::printf(
        "%-28s first rows %6.1f ms, all in order %7.1f ms, %8zu rows, longest slice %5.1f ms (%.1f on the "
        "processor)\n",
        what, m.first, m.whole, model->answer()->rows.size(), std::max(direct, app.longestMs()),
        app.mostWork);
  };
  ask("list everything", [&] { filter->setText(QStringLiteral("*")); });
  for (int c = 0; c < listColumns; ++c)
    ask(qPrintable(QStringLiteral("sort by ") + EntryListModel::columnName(static_cast<ListColumn>(c))),
        [&] { list->sortByColumn(c, c == 0 ? Qt::AscendingOrder : Qt::DescendingOrder); });
  QString typed;
  for (const QChar c : QStringLiteral("name-20-1000")) {
    typed += c;
    ask(qPrintable(QStringLiteral("type ") + typed), [&] { filter->setText(typed); });
  }
  app.reset();
  list->scrollToBottom();
  list->viewport()->repaint();
  QCoreApplication::processEvents();
  std::printf("scroll to the end: longest slice %.1f ms (%.1f on the processor)\n", app.longestMs(),
              app.mostWork);
}
