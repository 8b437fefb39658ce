// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/plan/plan_station.h"

#include <QtWidgets>

#include "core/base/path_set.h"
#include "desktop/session/run_desk.h"
#include "desktop/stations/destination.h"
#include "desktop/style/flow_layout.h"
#include "desktop/style/language.h"
#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

PlanStation::PlanStation(Session& session, Prompter& prompter, QWidget* parent)
    : Station(session, prompter, parent) {
  auto* page = setupPages("planStation");
  auto* box = new QVBoxLayout(page);
  box->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Plan"), page));
  head->addSpacing(10);
  summary_ = noteLabel({}, page, "planSummary");
  head->addWidget(summary_, 1);
  propose_ = button(tr("Propose"), "propose", page, true);
  propose_->setToolTip(tr("Works a plan out that reaches the hardest target with the least to regret"));
  connect(propose_, &QPushButton::clicked, this, &PlanStation::propose);
  auto* compares = button(tr("Compare (A)"), "compare", page);
  compares->setToolTip(tr("The ways to reach the target side by side"));
  connect(compares, &QPushButton::clicked, this, &PlanStation::compare);
  head->addWidget(compares);
  head->addWidget(propose_);
  box->addLayout(head);
  stairs_ = new Staircase(page);
  box->addWidget(stairs_, 4);
  setupLadder(box);
  setupLines(box);
  connect(stairs_, &Staircase::stepPicked, this, [this](int line) {
    const auto& lines = view().plan.lines;
    if (line < 0 || line >= static_cast<int>(lines.size())) return;
    lines_->setCurrentIndex(
        rows_->index(rows_->rowOf(QString::fromStdString(lines[static_cast<std::size_t>(line)].id)), 0));
  });
}

void PlanStation::setupLadder(QVBoxLayout* box) {
  ladder_ = new LadderStrip(this);
  box->addWidget(ladder_);
  connect(ladder_, &LadderStrip::rungPicked, this, [this](Regret ceiling) { proposeUpTo(ceiling); });
  connect(ladder_, &LadderStrip::decisionsPicked, this, [this] { proposeUpTo(std::nullopt); });
}

void PlanStation::setupLines(QVBoxLayout* box) {
  lines_ = ledgerView("planLines", tr("Lines of the plan"), this);
  lines_->setProperty("word", QStringLiteral("plan"));
  rows_ = new RowsModel({tr("line"), tr("step"), tr("condition"), tr("regret"), tr("adds"), tr("at most")},
                        {4, 5}, this);
  lines_->setModel(rows_);
  lines_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  lines_->setColumnWidth(
      1,
      std::max(76, lines_->fontMetrics().horizontalAdvance(say(&Words::action, std::string_view("discard"))) +
                       20));
  lines_->setColumnWidth(2, 190);
  lines_->setColumnWidth(3, 134);
  lines_->setColumnWidth(4, 80);
  lines_->setColumnWidth(5, 80);
  lines_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  lines_->installEventFilter(this);
  connect(rows_, &RowsModel::toggled, this,
          [this](const QString& id, bool on) { desk_.setEnabled(id.toStdString(), on); });
  connect(lines_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this] {
    const auto& lines = view().plan.lines;
    const auto at =
        std::find_if(lines.begin(), lines.end(), [&](const auto& l) { return l.id == currentLine(); });
    stairs_->setCurrent(at == lines.end() ? -1 : static_cast<int>(at - lines.begin()));
  });
  box->addWidget(lines_, 5);
  setupDecisions(box);
  left_ = noteLabel({}, this, "leftLines");
  left_->setWordWrap(true);
  box->addWidget(left_);
  auto* foot = new QHBoxLayout;
  auto* edits = new FlowLayout(16);
  const auto add = [&](const QString& text, const char* name, auto slot) {
    auto* b = linkButton(text, name, this);
    connect(b, &QPushButton::clicked, this, slot);
    edits->addWidget(b);
  };
  add(tr("Drop the line (Del)"), "dropLine", [this] { desk_.drop({currentLine()}); });
  add(tr("Another step (H)"), "switchAction", [this] { switchAction(); });
  add(tr("Move elsewhere (T)"), "moveAway", [this] { moveAway(); });
  add(tr("Split (S)"), "splitLine", [this] { desk_.split(currentLine()); });
  add(tr("Up (Alt+↑)"), "lineUp", [this] { desk_.moveLine(currentLine(), -1); });
  add(tr("Down (Alt+↓)"), "lineDown", [this] { desk_.moveLine(currentLine(), 1); });
  foot->addLayout(edits, 1);
  auto* now = button(tr("Check now (C)"), "checkNow", this);
  now->setToolTip(tr("Checks everything as the run would, and changes nothing"));
  connect(now, &QPushButton::clicked, this, &PlanStation::check);
  foot->addWidget(now);
  auto* next = button(tr("On to Reclaim"), "toReclaim", this);
  connect(next, &QPushButton::clicked, this, [this] { Q_EMIT goTo(reclaimStation); });
  foot->addWidget(next);
  box->addLayout(foot);
}

void PlanStation::setupDecisions(QVBoxLayout* box) {
  decisionsNote_ =
      noteLabel(tr("For a person to decide, the likeliest first: Enter or P plans it, Del says not now"),
                this, "decisionsNote");
  box->addWidget(decisionsNote_);
  decisions_ = ledgerView("decisions", tr("For a person to decide"), this);
  decisions_->setProperty("word", QStringLiteral("decision"));
  decisionRows_ = new RowsModel({tr("what"), tr("why it is asked"), tr("at most")}, {2}, this);
  decisions_->setModel(decisionRows_);
  decisions_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  decisions_->setColumnWidth(1, 460);
  decisions_->setColumnWidth(2, 90);
  decisions_->installEventFilter(this);
  box->addWidget(decisions_, 3);
}

void PlanStation::decide(bool goes) {
  const std::string id =
      decisions_->currentIndex().siblingAtColumn(0).data(RowsModel::idRole).toString().toStdString();
  const Find* find = view().finds->find(id);
  if (find == nullptr || session_.busy()) return;
  if (goes) return desk_.planFinds({id}, {});
  std::vector<PathBytes> paths;
  for (const auto& item : find->items) paths.push_back(item.path);
  desk_.mark(paths, Mark::notNow);
}

bool PlanStation::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() != QEvent::KeyPress) return Station::eventFilter(watched, event);
  const auto* key = static_cast<QKeyEvent*>(event);
  if (watched == decisions_) {
    if (key->key() == Qt::Key_Return || key->key() == Qt::Key_P) return decide(true), true;
    return key->key() == Qt::Key_Delete && (decide(false), true);
  }
  if (watched != lines_) return Station::eventFilter(watched, event);
  const bool alt = (key->modifiers() & Qt::AltModifier) != 0;
  if (key->key() == Qt::Key_Delete) return desk_.drop({currentLine()}), true;
  if (key->key() == Qt::Key_H && !alt) return switchAction(), true;
  if (key->key() == Qt::Key_A && !alt) return compare(), true;
  if (key->key() == Qt::Key_T && !alt) return moveAway(), true;
  if (key->key() == Qt::Key_S && !alt) return desk_.split(currentLine()), true;
  if (key->key() == Qt::Key_C && !alt && (key->modifiers() & Qt::ControlModifier) == 0) return check(), true;
  if (alt && key->key() == Qt::Key_Up) return desk_.moveLine(currentLine(), -1), true;
  if (alt && key->key() == Qt::Key_Down) return desk_.moveLine(currentLine(), 1), true;
  return false;
}

std::string PlanStation::currentLine() const {
  return lines_->currentIndex().isValid()
             ? lines_->currentIndex().data(RowsModel::idRole).toString().toStdString()
             : std::string{};
}

std::vector<std::string> PlanStation::chosenLines() const {
  std::vector<std::string> all;
  for (const QModelIndex& index : lines_->selectionModel()->selectedRows())
    all.push_back(index.data(RowsModel::idRole).toString().toStdString());
  if (all.empty() && !currentLine().empty()) all.push_back(currentLine());
  return all;
}

void PlanStation::moveAway() {
  const auto ids = chosenLines();
  if (ids.empty() || session_.busy()) return;
  if (const auto told = askDestination(this, prompter_)) desk_.planFinds(ids, "transfer", {}, *told);
}

namespace {
/// What a check is true for: the lines with their steps and what they are told.
std::vector<std::string> standOf(const Plan& plan) {
  std::vector<std::string> all;
  for (const PlanLine& line : plan.lines)
    all.push_back(line.id + '\n' + line.step->id + '\n' + std::to_string(line.items.size()) +
                  (line.enabled ? "\n" : "\noff") + toJson(line.parameters).dump());
  return all;
}
}  // namespace

void PlanStation::compare() {
  if (session_.busy() || !ready()) return;
  desk_.alternatives([this](const std::vector<PlanDesk::Alternative>& all) {
    QStringList ways;
    for (const auto& a : all)
      ways.append(tr("%1: %2, %3, %4")
                      .arg(say(&Words::alternative, a.id), say(&Words::lines, a.proposal.plan.lines.size()),
                           say(&Words::bytes, a.sure),
                           a.proposal.reached ? say(&Words::regret, a.proposal.ceiling)
                                              : tr("%1 short").arg(say(&Words::bytes, a.proposal.shortBy))));
    const auto way =
        prompter_.choose(this, tr("Alternatives"),
                         tr("Each reaches the targets as far as it can. One becomes the plan."), ways);
    if (way && *way >= 0 && *way < static_cast<int>(all.size()))
      desk_.take(all[static_cast<std::size_t>(*way)].proposal);
  });
}

void PlanStation::check() {
  if (session_.busy() || view().plan.lines.empty()) return;
  RunDesk(session_).rehearse([this](const std::vector<JournalRecord>& refused) { showChecked(refused); });
}

void PlanStation::showChecked(const std::vector<JournalRecord>& refused) {
  refused_.clear();
  checkedPlan_ = standOf(view().plan);
  for (const JournalRecord& r : refused) {
    QString& all = refused_[r.line];
    if (!all.isEmpty()) continue;  // the first says enough
    all = tr("would not go now: %1: %2")
              .arg(say(&Words::path, r.path), say(&Words::problem, r.problem.value_or(Errc::io), r.detail));
  }
  fillLines();
  summary_->setText(
      refused.empty()
          ? tr("checked: everything would go now")
          : tr("checked: %1 would not go now, see their lines").arg(say(&Words::things, refused.size())));
}

void PlanStation::switchAction() {
  if (!currentLine().empty()) desk_.nextAction(currentLine());
}

void PlanStation::propose() {
  proposeUpTo(std::nullopt);
}

void PlanStation::proposeUpTo(std::optional<Regret> ceiling) {
  if (!session_.busy() && ready()) desk_.propose(ceiling);
}

/// The highest rung of which the plan has taken something.
std::optional<Regret> PlanStation::taken() const {
  std::optional<Regret> highest;
  for (const PlanLine& line : view().plan.lines)
    if (line.takesPart()) highest = std::max(highest.value_or(Regret::none), line.regret());
  return highest;
}

QString PlanStation::summary() const {
  const QString note = view().plan.lines.empty() ? QString() : say(&Words::refillNote, view().planned);
  return note.isEmpty() ? standOfPlan() : standOfPlan() + QStringLiteral(". ") + note;
}

QString PlanStation::standOfPlan() const {
  const Target* target = hardest(view().targets);
  if (target == nullptr) return tr("no target is chosen; tick one on the Bench");
  const auto& proposal = view().proposal;
  if (view().plan.lines.empty()) {
    if (view().free >= target->bytes) return tr("the target is met already; there is nothing to do");
    return tr("empty; propose one, or press P on a find");
  }
  const SignedBytes over = surplus(*target, view().free + view().planned.sure);
  if (over < 0 && proposal && !proposal->decisions.empty())
    return tr("%1 short of %2; what is left is for a person to decide, see below")
        .arg(say(&Words::signedBytes, -over), say(&Words::targetName, *target));
  if (over < 0)
    return tr("%1 short of %2").arg(say(&Words::signedBytes, -over), say(&Words::targetName, *target));
  QString text = tr("reaches %1").arg(say(&Words::targetName, *target));
  if (proposal && proposal->reached && proposal->ceiling == Regret::none)
    text += tr(" with nothing to regret");
  if (proposal && proposal->reached && proposal->ceiling != Regret::none)
    text += tr("; worst to regret: %1").arg(say(&Words::regret, proposal->ceiling));
  return text;
}

/// When a line gives what it gives, and what has to be so before.
QString PlanStation::conditions(std::size_t at) const {
  const PlanLine& line = view().plan.lines[at];
  QStringList all;
  if (const auto refused = refused_.find(line.id); refused != refused_.end()) all.append(refused->second);
  if (!line.parameters.empty()) all.append(say(&Words::told, line.parameters));
  if (line.gain.when != GainTime::now && line.gain.when != GainTime::later)
    all.append(say(&Words::when, line.gain.when));
  for (const std::string& id : view().conditions[at]) all.append(say(&Words::lineCondition, id));
  return all.join(QStringLiteral("; "));
}

Row PlanStation::row(std::size_t at) const {
  const PlanLine& line = view().plan.lines[at];
  const Find* find = view().finds->find(line.id);
  QString title = find != nullptr ? say(&Words::findTitle, *find)
                                  : say(&Words::path, line.items.empty() ? line.place : line.items[0].path);
  if (line.items.size() > 1) title += QStringLiteral(", ") + say(&Words::things, line.items.size());
  const bool gone = line.regret() == Regret::personalGone;
  const GainBounds& adds = view().adds[at];
  return {
      QString::fromStdString(line.id),
      static_cast<int>(stratumOf(line.standing)),
      true,
      line.enabled,
      {{title, title, line.enabled, false, !line.enabled, false},
       {line.enabled ? say(&Words::step, *line.step) : tr("off"), {}, false, false, false, false},
       {conditions(at), conditions(at), false, false, true, false},
       {say(&Words::regret, line.regret()), {}, false, gone && line.enabled, true, false},
       {say(&Words::bytes, adds.sure), say(&Words::exact, adds.sure), true, false, !line.step->frees(), true},
       {say(&Words::bytes, line.gain.atMost), say(&Words::exact, line.gain.atMost), false, false, true,
        true}}};
}

void PlanStation::fillLines() {
  QList<Row> rows;
  if (!refused_.empty() && standOf(view().plan) != checkedPlan_) refused_.clear();
  for (std::size_t i = 0; i < view().plan.lines.size(); ++i) rows.append(row(i));
  const QString keep = QString::fromStdString(currentLine());
  constexpr int conditionColumn = 2;  // where nothing waits for anything the titles have its room
  lines_->setColumnHidden(conditionColumn, std::all_of(rows.begin(), rows.end(), [](const Row& r) {
                            return r.cells[conditionColumn].text.isEmpty();
                          }));
  rows_->setRows(rows);
  const int at = std::max(0, rows_->rowOf(keep));
  if (!rows.isEmpty()) lines_->setCurrentIndex(rows_->index(at, 0));
}

/// What only a person can decide; it is shown where the plan does not reach without it.
void PlanStation::fillDecisions() {
  QList<Row> rows;
  const auto& proposal = view().proposal;
  const Target* most = hardest(view().targets);
  const bool enough = most != nullptr && surplus(*most, view().free + view().planned.sure) >= 0;
  // What goes with a thing that is planned is decided already.
  PathSet planned;
  for (const PlanLine& line : view().plan.lines)
    for (const Subject& item : line.items)
      if (line.enabled && item.inSurvey()) planned.insert(item.path);
  const auto goesAnyway = [&](const Find& find) {
    return std::all_of(find.items.begin(), find.items.end(),
                       [&](const Subject& item) { return planned.covers(item.path); });
  };
  if (proposal && !proposal->reached && !enough)
    for (const Decision& d : proposal->decisions) {
      const Find* find = view().finds->find(d.find);
      const bool decided = view().plan.find(d.find) != nullptr ||
                           (find != nullptr && (view().marks.of(*find) || goesAnyway(*find)));
      if (find == nullptr || decided) continue;
      rows.append({QString::fromStdString(d.find),
                   static_cast<int>(stratumOf(d.standing)),
                   false,
                   false,
                   {{say(&Words::path, d.path), {}, true, false, false, false},
                    {say(&Words::decision, d, view().context->options.now), {}, false, false, true, false},
                    {say(&Words::bytes, d.bytes), say(&Words::exact, d.bytes), true, false, false, true}}});
    }
  decisionRows_->setRows(rows);
  decisions_->setVisible(!rows.isEmpty());
  decisionsNote_->setVisible(!rows.isEmpty());
}

/// Lines that are not on the plan any more, although nobody took them off.
void PlanStation::fillLeft() {
  QStringList all;
  for (const LeftLine& line : view().left) all.append(say(&Words::left, line));
  left_->setText(all.size() > 3
                     ? all.mid(0, 3).join(QLatin1Char('\n')) + tr("\nand %1 more").arg(all.size() - 3)
                     : all.join(QLatin1Char('\n')));
  left_->setToolTip(all.join(QLatin1Char('\n')));
  left_->setVisible(!all.isEmpty());
}

/// The pictures want room for their labels; on a small screen the lines want it more.
void PlanStation::resizeEvent(QResizeEvent* event) {
  Station::resizeEvent(event);
  constexpr int roomy = 560, tall = 200, low = 130;
  stairs_->setMinimumHeight(height() < roomy ? low : tall);
}

void PlanStation::refresh() {
  showPage(ready());
  if (!ready()) return;
  propose_->setText(view().proposal ? tr("Propose again") : tr("Propose"));
  propose_->setEnabled(!session_.busy());
  summary_->setText(summary());
  summary_->setToolTip(summary());
  stairs_->show(view().picture(), view().plan, view().adds);
  ladder_->show(view().picture(), view().ladder, taken());
  fillLines();
  fillDecisions();
  fillLeft();
}

QString PlanStation::waitsFor() const {
  return tr("The plan waits for a measurement. Choose a drive on the Bench and measure it.");
}

bool PlanStation::reached() const {
  return !view().plan.lines.empty() || view().report.has_value();
}

QString PlanStation::figure() const {
  const auto count = view().plan.lines.size();
  if (!ready()) return tr("not measured");
  if (count == 0) return tr("nothing yet");
  const QString gain = say(&Words::bytes, view().planned.sure);
  return counted(count, "1 line · %2", "%1 lines · %2", {gain});
}

void PlanStation::enter() {
  if (ready()) (view().plan.lines.empty() ? static_cast<QWidget*>(propose_) : lines_)->setFocus();
}

}  // namespace zt::desktop
