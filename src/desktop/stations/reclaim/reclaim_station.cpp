// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/reclaim/reclaim_station.h"

#include <QtWidgets>
#include <set>

#include "desktop/session/run_desk.h"
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
  lines_ = ledgerView("runLines", page);
  lines_->setProperty("word", QStringLiteral("consent"));
  rows_ = new RowsModel({tr("line"), tr("step"), tr("state"), tr("things"), tr("promised"), tr("freed")},
                        {3, 4, 5}, this);
  lines_->setModel(rows_);
  lines_->setColumnWidth(0, 280);
  lines_->header()->setSectionResizeMode(2, QHeaderView::Stretch);  // what is lost: all of it in the tip
  for (const int c : {1, 3, 4, 5}) lines_->setColumnWidth(c, c < 4 ? 70 : 84);
  box->addWidget(lines_, 3);
  problemsTitle_ = new QLabel(tr("What would not go, and why"), page);
  problemsTitle_->setFont(typeface(Type::strong));
  box->addWidget(problemsTitle_);
  problems_ = ledgerView("problems", page);
  problemRows_ = new RowsModel({tr("item"), tr("why"), tr("where it is")}, {}, this);
  problems_->setModel(problemRows_);
  problems_->header()->setSectionResizeMode(1, QHeaderView::Stretch);
  problems_->setColumnWidth(0, 380);
  problems_->setColumnWidth(2, 120);
  box->addWidget(problems_, 2);
  agree_ = new QCheckBox(page);
  agree_->setObjectName(QStringLiteral("agree"));
  box->addWidget(agree_);
  auto* foot = new QHBoxLayout;
  foot->addStretch();
  pause_ = button(tr("Pause"), "pauseRun", page);
  stop_ = button(tr("Stop after this item"), "stopRun", page);
  start_ = button(tr("Start"), "startRun", page, true);
  toProof_ = button(tr("On to Proof"), "toProof", page, true);
  for (auto* b : {pause_, stop_, start_, toProof_}) foot->addWidget(b);
  unseen_ = noteLabel({}, page, "unseenFiles");
  unseen_->setWordWrap(true);
  box->addWidget(unseen_);
  box->addLayout(foot);
  connect(agree_, &QCheckBox::toggled, this, [this](bool on) {
    agreedTo_ = on ? view().consent.token : std::string{};
    refresh();
  });
  connect(start_, &QPushButton::clicked, this, &ReclaimStation::start);
  connect(stop_, &QPushButton::clicked, &session_, &Session::stop);
  connect(pause_, &QPushButton::clicked, this, [this] {
    session_.setPaused(!session_.paused());
    refresh();
  });
  connect(toProof_, &QPushButton::clicked, this, [this] { Q_EMIT goTo(proofStation); });
  connect(&session_, &Session::lineProgressed, this, [this](const LineOutcome& outcome) {
    running_[outcome.line] = outcome;
    refresh();
  });
  connect(&session_, &Session::runEnded, this, [this] {
    running_.clear();
    refresh();
  });
}

void ReclaimStation::start() {
  if (session_.busy() || (view().plan.lines.empty() && view().cutShort.empty())) return;
  const std::string token = view().consent.token;
  if (!view().consent.lines.empty() && agreedTo_ != token) return;
  for (const PlanLine& line : view().plan.lines) titles_[line.id] = titleOf(line.id);
  running_.clear();
  agreedTo_.clear();
  const QSignalBlocker quiet(agree_);
  agree_->setChecked(false);
  RunDesk(session_).reclaim(token);
}

QString ReclaimStation::titleOf(const std::string& id) const {
  if (const Find* find = view().finds->find(id)) return say(&Words::findTitle, *find);
  if (const PlanLine* line = view().plan.find(id); line != nullptr && !line->items.empty())
    return say(&Words::path, line->items[0].path);
  const auto known = titles_.find(id);
  return known == titles_.end() ? QString::fromStdString(id) : known->second;
}

Row ReclaimStation::consentRow(const PlanLine& line, std::size_t index) const {
  const bool discard = line.step->consent == ConsentRule::asked;
  QString loss = say(&Words::loss, line.step->id, line.regret());
  for (const Consent::Line& asked : view().consent.lines)
    if (const QString lost = asked.id == line.id ? say(&Words::losses, asked.lost) : QString();
        !lost.isEmpty())
      loss += QStringLiteral(": ") + lost;
  return {QString::fromStdString(line.id),
          static_cast<int>(stratumOf(line.standing)),
          false,
          false,
          {{titleOf(line.id), {}, true, false, false, false},
           {say(&Words::action, line.step->id), {}, false, false, false, false},
           {loss, loss, false, discard, !discard, false},
           {QLocale().toString(static_cast<qulonglong>(line.items.size())), {}, false, false, true, true},
           {say(&Words::bytes, view().adds[index].sure), say(&Words::exact, view().adds[index].sure), true,
            false, false, true},
           {QString(), {}, false, false, true, true}}};
}

Row ReclaimStation::outcomeRow(const LineOutcome& o, bool over) const {
  const bool bad = o.state == LineOutcome::State::refused || o.state == LineOutcome::State::partly;
  QString state = say(&Words::lineState, o.state);
  if (o.held > 0) state += tr(", %1 held").arg(say(&Words::bytes, o.held));
  return {
      QString::fromStdString(o.line),
      -1,
      false,
      false,
      {{titleOf(o.line), {}, true, false, false, false},
       {say(&Words::action, o.action), {}, false, false, false, false},
       {state, {}, false, bad, false, false},
       {tr("%1 of %2").arg(o.itemsDone).arg(o.items), {}, false, false, true, true},
       {say(&Words::bytes, o.promised.sure), say(&Words::exact, o.promised.sure), false, false, false, true},
       {over ? say(&Words::signedBytes, o.rose) : say(&Words::bytes, o.freed.sure),
        {},
        over,
        false,
        !over,
        true}}};
}

void ReclaimStation::fillLines() {
  QList<Row> rows;
  const bool running = session_.work() == Session::Work::running;
  std::set<std::string> reported;
  if (view().report && !running)
    for (const auto& outcome : view().report->lines) {
      rows.append(outcomeRow(outcome, true));
      reported.insert(outcome.line);
    }
  for (std::size_t i = 0; i < view().plan.lines.size(); ++i) {
    const PlanLine& line = view().plan.lines[i];
    if (!line.enabled || reported.contains(line.id)) continue;
    const auto now = running_.find(line.id);
    rows.append(now != running_.end() ? outcomeRow(now->second, false) : consentRow(line, i));
  }
  constexpr int freedColumn = 5;  // says nothing before the run
  lines_->setColumnHidden(freedColumn, reported.empty() && !running);
  rows_->setRows(rows);
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
  if (view().report && session_.work() != Session::Work::running)
    for (const auto& o : view().report->lines) take(o);
  for (const auto& [id, o] : running_) take(o);
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
  if (session_.work() == Session::Work::running)
    return session_.paused() ? tr("paused; nothing is touched until it goes on")
                             : tr("running; every item is looked at again before it goes");
  if (!view().plan.lines.empty() && !view().consent.lines.empty()) {
    Bytes bytes = 0;
    for (std::size_t i = 0; i < view().plan.lines.size(); ++i) bytes += view().adds[i].sure;
    return tr("nothing has been changed yet; these lines give %1").arg(say(&Words::bytes, bytes));
  }
  if (!view().plan.lines.empty()) return tr("nothing is removed: these lines only set aside");
  if (view().report && view().report->stopped)
    return tr("stopped; what was not reached is still on the plan");
  return tr("the run is over");
}

void ReclaimStation::refresh() {
  showPage(ready() || !view().cutShort.empty(),
           view().survey ? tr("The plan is empty: there is nothing to do yet.")
                         : tr("Reclaim waits for a plan. Choose a drive on the Bench and measure it."));
  if (!view().survey || !workShown()) return;
  const bool running = session_.work() == Session::Work::running;
  const bool plan = !view().plan.lines.empty();
  const bool needs = plan && !view().consent.lines.empty();
  heading_->setText(heading());
  unseen_->setText(
      tr("Files that other users' programs have open cannot be seen without more rights: whether any of this "
         "is in use there is not known."));
  unseen_->setVisible(plan && !view().seesAllOpenFiles);
  fillLines();
  fillProblems();
  // A consent belongs to exactly one plan: any change to it takes the tick away.
  if (agreedTo_ != view().consent.token && agree_->isChecked()) {
    const QSignalBlocker quiet(agree_);
    agree_->setChecked(false);
  }
  std::uint64_t things = 0;
  for (const auto& line : view().consent.lines) things += line.items;
  agree_->setText(
      tr("I agree: %1 on %2 go for good. This cannot be undone.")
          .arg(say(&Words::things, things), view().consent.lines.size() == 1
                                                ? tr("1 line")
                                                : tr("%1 lines").arg(view().consent.lines.size())));
  agree_->setVisible(needs && !running);
  QPalette red = palette();
  red.setColor(QPalette::WindowText, face().red);
  agree_->setPalette(red);
  start_->setVisible(plan && !running);
  start_->setEnabled(!session_.busy() && (!needs || agree_->isChecked()));
  stop_->setVisible(running);
  pause_->setVisible(running);
  pause_->setText(session_.paused() ? tr("Go on") : tr("Pause"));
  toProof_->setVisible(!plan && !running && view().report.has_value());
}

QString ReclaimStation::figure() const {
  if (session_.work() == Session::Work::running) return tr("running");
  if (view().report) {
    SignedBytes freed = 0;  // by the drive's counter
    for (const auto& o : view().report->lines) freed += o.rose;
    return tr("%1 freed").arg(say(&Words::signedBytes, freed));
  }
  return view().plan.lines.empty() ? tr("no plan yet") : tr("not started");
}

void ReclaimStation::enter() {
  if (agree_->isVisible()) return agree_->setFocus();
  (start_->isVisible()     ? static_cast<QWidget*>(start_)
   : toProof_->isVisible() ? static_cast<QWidget*>(toProof_)
                           : lines_)
      ->setFocus();
}

}  // namespace zt::desktop
