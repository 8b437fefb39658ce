// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/reclaim/reclaim_station.h"

#include <QtWidgets>
#include <set>

#include "desktop/session/run_desk.h"
#include "desktop/style/language.h"
#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

ReclaimStation::ReclaimStation(Session& session, Prompter& prompter, QWidget* parent)
    : Station(session, prompter, parent) {
  auto* page = setupPages("reclaimStation");
  auto* box = new QVBoxLayout(page);
  box->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Reclaim"), page));
  head->addSpacing(10);
  heading_ = noteLabel({}, page, "reclaimHeading");
  head->addWidget(heading_, 1);
  box->addLayout(head);
  faces_ = new QStackedWidget(page);
  consents_ = new ConsentFace(faces_);
  faces_->addWidget(consents_);
  faces_->addWidget(runPage());
  box->addWidget(faces_, 1);
  unseen_ = noteLabel({}, page, "unseenFiles");
  unseen_->setWordWrap(true);
  box->addWidget(unseen_);
  auto* foot = new QHBoxLayout;
  note_ = noteLabel({}, page, "reclaimNote");
  foot->addWidget(note_, 1);
  pause_ = button(tr("Pause"), "pauseRun", page);
  stop_ = button(tr("Stop"), "stopRun", page);
  start_ = button(tr("Start"), "startRun", page, true);
  toProof_ = button(tr("On to Proof"), "toProof", page, true);
  rest_ = button(tr("Rest of the plan"), "restOfPlan", page);
  retry_ = button(tr("Try again what would not go"), "retryRun", page);
  for (auto* b : {pause_, stop_, start_, rest_, retry_, toProof_}) foot->addWidget(b);
  box->addLayout(foot);
  consents_->setNext(start_);
  connect(consents_, &ConsentFace::ticked, this, &ReclaimStation::showStart);
  connect(start_, &QPushButton::clicked, this, &ReclaimStation::start);
  connect(stop_, &QPushButton::clicked, &session_, &Session::stop);
  connect(pause_, &QPushButton::clicked, this, [this] {
    session_.setPaused(!session_.pauseGate()->paused());
    refresh();
  });
  connect(toProof_, &QPushButton::clicked, this, [this] { Q_EMIT goTo(proofStation); });
  connect(retry_, &QPushButton::clicked, this, &ReclaimStation::retry);
  connect(rest_, &QPushButton::clicked, this, [this] {
    looked_ = planOfRun_;
    refresh();
    enter();
  });
  connect(&session_, &Session::runProgressed, this, &ReclaimStation::refresh);
}

QWidget* ReclaimStation::runPage() {
  auto* page = new QWidget(faces_);
  auto* box = new QVBoxLayout(page);
  box->setContentsMargins(0, 0, 0, 0);
  bar_ = new RunBar(page);
  box->addWidget(bar_);
  lines_ = ledgerView("runLines", tr("Lines of the run"), page);
  lines_->setProperty("word", QStringLiteral("run"));
  rows_ = new RowsModel({tr("line"), tr("step"), tr("state"), tr("freed"), tr("promised")}, {3, 4}, this);
  lines_->setModel(rows_);
  lines_->setColumnWidth(0, 330);
  lines_->header()->setSectionResizeMode(2, QHeaderView::Stretch);
  lines_->setColumnWidth(1, 120);
  for (const int c : {3, 4}) lines_->setColumnWidth(c, 90);
  box->addWidget(lines_, 3);
  problemsTitle_ = new QLabel(tr("What would not go, and why"), page);
  problemsTitle_->setFont(typeface(Type::strong));
  box->addWidget(problemsTitle_);
  problems_ = ledgerView("problems", tr("What would not go, and why"), page);
  problemRows_ = new RowsModel({tr("item"), tr("why"), tr("where it is")}, {}, this);
  problems_->setModel(problemRows_);
  problems_->header()->setSectionResizeMode(1, QHeaderView::Stretch);
  problems_->setColumnWidth(0, 380);
  problems_->setColumnWidth(2, 120);
  box->addWidget(problems_, 2);
  return page;
}

bool ReclaimStation::runs() const {
  return session_.work() == Session::Work::running;
}

void ReclaimStation::start() {
  if (session_.busy() || (view().plan.lines.empty() && view().cutShort.empty())) return;
  if (!view().plan.lines.empty() && !consents_->anyAgreed()) return;
  for (const PlanLine& line : view().plan.lines) titles_[line.id] = titleOf(line.id);
  const auto waiting = consents_->waiting();
  consents_->clearTicks();
  consents_->limitTo({});
  RunDesk(session_).reclaim(view().consent.token, waiting);
}

std::set<std::string> ReclaimStation::wouldNotGo() const {
  std::set<std::string> all;
  if (!view().report) return all;
  for (const LineOutcome& o : view().report->lines)
    if (!o.problems.empty() && view().plan.find(o.line) != nullptr) all.insert(o.line);
  return all;
}

/// Until somebody goes on from it, or the plan is another one.
bool ReclaimStation::looksBack() {
  if (runs() || !view().report || wouldNotGo().empty()) return false;
  const std::int64_t run = view().report->run;
  if (planOfRun_ != run) planOfRun_ = run, planThen_ = view().consent.token;
  return looked_ != run && planThen_ == view().consent.token;
}

void ReclaimStation::retry() {
  if (session_.busy()) return;
  consents_->limitTo(wouldNotGo());
  looked_ = planOfRun_;
  refresh();
  enter();
}

QString ReclaimStation::titleOf(const std::string& id) const {
  if (const Find* find = view().finds->find(id)) return say(&Words::findTitle, *find);
  if (const PlanLine* line = view().plan.find(id); line != nullptr && !line->items.empty())
    return say(&Words::path, line->items[0].path);
  const auto known = titles_.find(id);
  return known == titles_.end() ? QString::fromStdString(id) : known->second;
}

namespace {
QString number(std::uint64_t n) {
  return QLocale().toString(static_cast<qulonglong>(n));
}
}  // namespace

Row ReclaimStation::outcomeRow(const LineOutcome& o, bool atWork, bool over) const {
  const bool bad =
      !atWork && (o.state == LineOutcome::State::refused || o.state == LineOutcome::State::partly);
  QString state = atWork ? session_.pauseGate()->paused()
                               ? tr("paused after %1 of %2 things").arg(number(o.itemsDone), number(o.items))
                               : tr("now: %1 of %2 things").arg(number(o.itemsDone), number(o.items))
                         : say(&Words::lineState, o.state);
  if (!atWork) state += tr(", %1 of %2 things").arg(number(o.itemsDone), number(o.items));
  if (o.held > 0) state += tr(", %1 held").arg(say(&Words::bytes, o.held));
  return {QString::fromStdString(o.line),
          -1,
          false,
          false,
          {{titleOf(o.line), {}, true, false, false, false},
           {say(&Words::action, o.action), {}, false, false, false, false},
           {state, state, atWork, bad, false, false},
           {over ? say(&Words::signedBytes, o.rose) : say(&Words::bytes, o.freed.sure),
            {},
            over,
            false,
            !over,
            true},
           {say(&Words::bytes, o.promised.sure), say(&Words::exact, o.promised.sure), false, false, false,
            true}}};
}

/// One that has not begun: what it waits for.
Row ReclaimStation::waitingRow(const PlanLine& line, std::size_t index) const {
  const bool agreed = !session_.run()->waiting.contains(line.id);
  const QString state = agreed ? tr("waits for its turn") : tr("not agreed to: stays on the plan");
  return {QString::fromStdString(line.id),
          static_cast<int>(stratumOf(line.standing)),
          false,
          false,
          {{titleOf(line.id), {}, agreed, false, !agreed, false},
           {say(&Words::step, *line.step), {}, false, false, !agreed, false},
           {state, {}, false, false, true, false},
           {QString(), {}, false, false, true, true},
           {say(&Words::bytes, view().adds[index].sure), say(&Words::exact, view().adds[index].sure), false,
            false, true, true}}};
}

/// The lines that are done are one row; what would not go stands above them.
void ReclaimStation::addDone(QList<Row>& rows, const RunSoFar& run) const {
  std::size_t done = 0;
  std::uint64_t things = 0, problems = 0;
  GainBounds freed, promised;
  for (const auto& [id, o] : run.lines) {
    problems += o.problems.size();
    if (id == run.atWork) continue;
    ++done;
    things += o.itemsDone;
    freed += o.freed;
    promised += o.promised;
  }
  if (problems > 0)
    rows.append({QStringLiteral("problems"),
                 -1,
                 false,
                 false,
                 {{tr("%1 would not go").arg(say(&Words::things, problems)), {}, true, true, false, false},
                  {},
                  {tr("the reasons stand below"), {}, false, true, false, false},
                  {},
                  {}}});
  if (done > 0)
    rows.append(
        {QStringLiteral("done"),
         -1,
         false,
         false,
         {{counted(done, "1 line is over", "%1 lines are over"), {}, true, false, false, false},
          {},
          {say(&Words::things, things), {}, false, false, true, false},
          {say(&Words::bytes, freed.sure), say(&Words::exact, freed.sure), true, false, false, true},
          {say(&Words::bytes, promised.sure), say(&Words::exact, promised.sure), false, false, true, true}}});
}

void ReclaimStation::fillLines() {
  QList<Row> rows;
  if (runs() && session_.run()) {
    const RunSoFar& run = *session_.run();
    addDone(rows, run);
    if (const auto now = run.lines.find(run.atWork); now != run.lines.end())
      rows.append(outcomeRow(now->second, true, false));
    for (std::size_t i = 0; i < view().plan.lines.size(); ++i) {
      const PlanLine& line = view().plan.lines[i];
      if (line.enabled && line.step->touches && !run.lines.contains(line.id))
        rows.append(waitingRow(line, i));
    }
  } else if (view().report) {
    for (const auto& outcome : view().report->lines) rows.append(outcomeRow(outcome, false, true));
  }
  rows_->setRows(rows);
}

/// Where on the way targets are met: by what comes free, in the plan's order.
void ReclaimStation::fillBar() {
  bar_->setVisible(runs() && session_.run() && session_.run()->promised > 0);
  if (!bar_->isVisibleTo(this)) return;
  const RunSoFar& run = *session_.run();
  QList<RunBar::Mark> marks;
  for (const Target& t : view().targets)
    if (t.chosen && t.bytes > run.freeBefore && t.bytes - run.freeBefore <= run.promised)
      marks.append({t.bytes - run.freeBefore, say(&Words::targetName, t), run.free >= t.bytes});
  std::sort(marks.begin(), marks.end(), [](const auto& a, const auto& b) { return a.at < b.at; });
  bar_->show(run.freed(), run.promised, marks);
}

void ReclaimStation::fillProblems() {
  QList<Row> rows;
  const auto take = [&](const LineOutcome& o) {
    for (const auto& r : o.problems)
      if (rows.size() < 2000)
        rows.append(
            {QString::number(r.seq),
             -1,
             false,
             false,
             {{say(&Words::path, r.path), {}, false, false, false, false},
              {r.problem ? say(&Words::problem, *r.problem, r.detail) : say(&Words::itemState, r.state),
               {},
               false,
               true,
               false,
               false},
              {say(&Words::itemState, r.state), {}, false, false, true, false}}});
  };
  if (view().report && !runs())
    for (const auto& o : view().report->lines) take(o);
  if (session_.run())
    for (const auto& [id, o] : session_.run()->lines) take(o);
  for (const auto& r : view().cutShort)
    rows.append({QString::number(-r.seq),
                 -1,
                 false,
                 false,
                 {{say(&Words::path, r.path), {}, false, false, false, false},
                  {tr("an earlier run was cut short; it is where that left it, and is taken back before the "
                      "next one"),
                   {},
                   false,
                   false,
                   false,
                   false},
                  {say(&Words::itemState, r.state), {}, false, false, true, false}}});
  problemRows_->setRows(rows);
  problems_->setVisible(!rows.isEmpty());
  problemsTitle_->setVisible(!rows.isEmpty());
}

QString ReclaimStation::heading() const {
  if (runs() && session_.run()) {
    if (session_.pauseGate()->paused()) return tr("paused; nothing is touched until it goes on");
    const double left = session_.run()->secondsLeft(session_.workshop().clock->now());
    QString since = tr("running since %1").arg(clockTime(session_.run()->since));
    if (left < 1) return since;
    return left < 90 ? tr("%1, about %2 s left").arg(since).arg(left, 0, 'f', 0)
                     : tr("%1, about %2 minutes left").arg(since).arg(left / 60, 0, 'f', 0);
  }
  if (runs()) return tr("putting back, or letting go of what was held");
  if (!view().plan.lines.empty() && !view().consent.lines.empty())
    return tr("nothing is changed yet. Read what cannot be undone; one tick a group.");
  const bool touches = std::any_of(view().plan.lines.begin(), view().plan.lines.end(),
                                   [](const PlanLine& line) { return line.step->touches; });
  if (touches) return tr("nothing is removed: these lines only set aside");
  if (!view().plan.lines.empty()) return tr("nothing of this is done here: the drive's own system does it");
  if (view().report && view().report->stopped)
    return tr("stopped; what was not reached is still on the plan");
  return tr("the run is over");
}

void ReclaimStation::showStart() {
  const bool plan = !view().plan.lines.empty() && !retry_->isVisibleTo(this);
  const bool resumes = !view().cutShort.empty();
  start_->setEnabled(!session_.busy() && ((plan && consents_->anyAgreed()) || (!plan && resumes)));
  const int wait = plan ? consents_->groupsWaiting() : 0;
  const auto lines = consents_->waiting().size();
  note_->setText(
      runs() ? tr("Nothing is half done at any moment: pause and stop take effect within a second.")
      : wait == 0
          ? QString()
          : counted(static_cast<std::uint64_t>(wait), "one group is not agreed to: its lines wait (%2)",
                    "%1 groups are not agreed to: their lines wait (%2)", {number(lines)}));
}

void ReclaimStation::refresh() {
  showPage(ready() || !view().cutShort.empty());
  if (!view().survey || !workShown()) return;
  const bool back = looksBack();
  const bool plan = !view().plan.lines.empty() && !back;
  // Another plan is asked about as a whole.
  if (planThen_ != view().consent.token) consents_->limitTo({});
  heading_->setText(back ? tr("the run is over; not all of it went") : heading());
  unseen_->setText(
      tr("Files that other users' programs have open cannot be seen without more rights: whether any of this "
         "is in use there is not known."));
  unseen_->setVisible(plan && !view().seesAllOpenFiles);
  faces_->setCurrentIndex(plan && !runs() ? 0 : 1);
  if (plan && !runs()) consents_->show(view());
  fillBar();
  fillLines();
  fillProblems();
  start_->setVisible((plan || !view().cutShort.empty()) && !runs());
  stop_->setVisible(runs());
  pause_->setVisible(runs());
  pause_->setText(session_.pauseGate()->paused() ? tr("Go on") : tr("Pause"));
  toProof_->setVisible(!plan && !runs() && view().report.has_value());
  retry_->setVisible(back);
  rest_->setVisible(back && wouldNotGo().size() < view().plan.lines.size());
  showStart();
}

QString ReclaimStation::waitsFor() const {
  return view().survey ? tr("The plan is empty: there is nothing to do yet.")
                       : tr("Reclaim waits for a plan. Choose a drive on the Bench and measure it.");
}

QString ReclaimStation::figure() const {
  if (runs() && session_.run())
    return tr("%1 of %2")
        .arg(say(&Words::bytes, session_.run()->freed()), say(&Words::bytes, session_.run()->promised));
  if (runs()) return tr("under way");
  if (view().report) {
    SignedBytes freed = 0;  // by the drive's counter
    for (const auto& o : view().report->lines) freed += o.rose;
    return tr("%1 freed").arg(say(&Words::signedBytes, freed));
  }
  return view().plan.lines.empty() ? tr("no plan yet") : tr("ready");
}

void ReclaimStation::enter() {
  if (faces_->currentIndex() == 0)
    if (QWidget* first = consents_->first()) return first->setFocus();
  (start_->isVisible()     ? static_cast<QWidget*>(start_)
   : toProof_->isVisible() ? static_cast<QWidget*>(toProof_)
                           : lines_)
      ->setFocus();
}

}  // namespace zt::desktop
