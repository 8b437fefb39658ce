// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/plan/plan_station.h"

#include <QtWidgets>

#include "desktop/style/palette.h"
#include "desktop/style/words.h"

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
  head->addWidget(propose_);
  box->addLayout(head);
  stairs_ = new Staircase(page);
  box->addWidget(stairs_, 4);
  setupCeilings(box);
  setupLines(box);
  connect(stairs_, &Staircase::stepPicked, this, [this](int line) {
    const auto& lines = view().plan.lines;
    if (line < 0 || line >= static_cast<int>(lines.size())) return;
    lines_->setCurrentIndex(
        rows_->index(rows_->rowOf(QString::fromStdString(lines[static_cast<std::size_t>(line)].id)), 0));
  });
}

void PlanStation::setupCeilings(QVBoxLayout* box) {
  auto* row = new QHBoxLayout;
  auto* label = new QLabel(tr("ceiling"), this);
  label->setFont(typeface(Type::small));
  label->setForegroundRole(QPalette::PlaceholderText);
  label->setToolTip(
      tr("A proposal takes nothing that one would be sorrier for than this. \"as low as can be\" finds the "
         "lowest that reaches the target."));
  row->addWidget(label);
  row->addSpacing(8);
  ceilings_ = new QButtonGroup(this);
  auto* lowest = linkButton(tr("lowest"), "ceilingLowest", this);
  lowest->setCheckable(true);
  lowest->setChecked(true);
  ceilings_->addButton(lowest, regrets);
  row->addWidget(lowest);
  row->addSpacing(8);
  for (int i = 0; i < regrets; ++i) {
    if (static_cast<Regret>(i) == Regret::personalMoved) continue;  // no step that only moves frees bytes yet
    auto* b = linkButton(Words::regret(static_cast<Regret>(i)),
                         QByteArray("ceiling" + QByteArray::number(i)).constData(), this);
    b->setCheckable(true);
    ceilings_->addButton(b, i);
    row->addWidget(b);
    row->addSpacing(8);
  }
  row->addStretch();
  connect(ceilings_, &QButtonGroup::idClicked, this, &PlanStation::propose);
  box->addLayout(row);
}

void PlanStation::setupLines(QVBoxLayout* box) {
  lines_ = ledgerView("planLines", this);
  rows_ = new RowsModel({tr("line"), tr("step"), tr("when"), tr("regret"), tr("adds"), tr("at most")}, {4, 5},
                        this);
  lines_->setModel(rows_);
  lines_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  lines_->setColumnWidth(1, 76);
  lines_->setColumnWidth(2, 104);
  lines_->setColumnWidth(3, 134);
  lines_->setColumnWidth(4, 80);
  lines_->setColumnWidth(5, 80);
  lines_->installEventFilter(this);
  connect(rows_, &RowsModel::toggled, this,
          [this](const QString& id, bool on) { session_.setEnabled(id.toStdString(), on); });
  connect(lines_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this] {
    const auto& lines = view().plan.lines;
    const auto at =
        std::find_if(lines.begin(), lines.end(), [&](const auto& l) { return l.id == currentLine(); });
    stairs_->setCurrent(at == lines.end() ? -1 : static_cast<int>(at - lines.begin()));
  });
  box->addWidget(lines_, 5);
  auto* foot = new QHBoxLayout;
  const auto add = [&](const QString& text, const char* name, auto slot) {
    auto* b = linkButton(text, name, this);
    connect(b, &QPushButton::clicked, this, slot);
    foot->addWidget(b);
    foot->addSpacing(16);
  };
  add(tr("Drop the line (Del)"), "dropLine", [this] { session_.drop(currentLine()); });
  add(tr("Discard or hold (H)"), "switchAction", [this] { switchAction(); });
  add(tr("Up (Alt+↑)"), "lineUp", [this] { session_.moveLine(currentLine(), -1); });
  add(tr("Down (Alt+↓)"), "lineDown", [this] { session_.moveLine(currentLine(), 1); });
  foot->addStretch();
  auto* next = button(tr("On to Reclaim"), "toReclaim", this);
  connect(next, &QPushButton::clicked, this, [this] { Q_EMIT goTo(reclaimStation); });
  foot->addWidget(next);
  box->addLayout(foot);
}

bool PlanStation::eventFilter(QObject* watched, QEvent* event) {
  if (watched != lines_ || event->type() != QEvent::KeyPress) return Station::eventFilter(watched, event);
  const auto* key = static_cast<QKeyEvent*>(event);
  const bool alt = (key->modifiers() & Qt::AltModifier) != 0;
  if (key->key() == Qt::Key_Delete) return session_.drop(currentLine()), true;
  if (key->key() == Qt::Key_H && !alt) return switchAction(), true;
  if (alt && key->key() == Qt::Key_Up) return session_.moveLine(currentLine(), -1), true;
  if (alt && key->key() == Qt::Key_Down) return session_.moveLine(currentLine(), 1), true;
  return false;
}

std::string PlanStation::currentLine() const {
  return lines_->currentIndex().isValid()
             ? lines_->currentIndex().data(RowsModel::idRole).toString().toStdString()
             : std::string{};
}

void PlanStation::switchAction() {
  if (const PlanLine* line = view().plan.find(currentLine()))
    session_.setAction(line->id, line->action == StepAction::hold ? StepAction::discard : StepAction::hold);
}

void PlanStation::propose() {
  if (session_.busy() || !ready()) return;
  const int id = ceilings_->checkedId();
  session_.propose(id == regrets ? std::nullopt : std::optional(static_cast<Regret>(id)));
}

QString PlanStation::summary() const {
  const Target* target = hardest(view().targets);
  if (target == nullptr) return tr("no target is chosen; tick one on the Bench");
  const auto& proposal = view().proposal;
  if (view().plan.lines.empty()) {
    if (view().free >= target->bytes) return tr("the target is met already; there is nothing to do");
    return tr("empty; propose one, or press P on a find");
  }
  const SignedBytes over = surplus(*target, view().free + view().planned.sure);
  if (over < 0) return tr("%1 short of %2").arg(Words::signedBytes(-over), Words::targetName(*target));
  QString text = tr("reaches %1").arg(Words::targetName(*target));
  if (proposal && proposal->reached && proposal->ceiling == Regret::none)
    text += tr(" with nothing to regret");
  if (proposal && proposal->reached && proposal->ceiling != Regret::none)
    text += tr("; worst to regret: %1").arg(Words::regret(proposal->ceiling));
  if (proposal && proposal->usesUnjudged) text += tr("; it needs things that nobody has judged");
  return text;
}

void PlanStation::fillCeilings() {
  for (auto* b : ceilings_->buttons()) {
    const int id = ceilings_->id(b);
    if (id == regrets) continue;
    QString text = Words::regret(static_cast<Regret>(id));
    if (view().proposal)
      text += QStringLiteral("  +") + Words::bytes(view().proposal->possible[static_cast<std::size_t>(id)]);
    b->setText(text);
    b->setToolTip(tr("The most that this ceiling can give. Unjudged things are left alone."));
  }
}

void PlanStation::fillLines() {
  QList<Row> rows;
  for (std::size_t i = 0; i < view().plan.lines.size(); ++i) {
    const PlanLine& line = view().plan.lines[i];
    const bool hold = line.action == StepAction::hold;
    const Find* find = nullptr;
    for (const Find& f : *view().finds)
      if (f.id == line.id) find = &f;
    QString title = find != nullptr ? Words::findTitle(*find)
                                    : Words::path(line.items.empty() ? line.place : line.items[0].path);
    if (line.items.size() > 1) title += QStringLiteral(", ") + Words::things(line.items.size());
    const bool gone = line.regret == Regret::personalGone;
    rows.append(
        {QString::fromStdString(line.id),
         static_cast<int>(stratumOf(line.standing)),
         true,
         line.enabled,
         {{title, title, line.enabled, false, !line.enabled, false},
          {line.enabled ? Words::action(line.action, line.kind) : tr("off"), {}, false, false, false, false},
          {Words::when(line.gain.when), {}, false, false, true, false},
          {Words::regret(line.regret), {}, false, gone && line.enabled, true, false},
          {Words::bytes(view().steps[i]), Words::exact(view().steps[i]), true, false, hold, true},
          {Words::bytes(line.gain.atMost), Words::exact(line.gain.atMost), false, false, true, true}}});
  }
  const QString keep = QString::fromStdString(currentLine());
  rows_->setRows(rows);
  const int row = std::max(0, rows_->rowOf(keep));
  if (!rows.isEmpty()) lines_->setCurrentIndex(rows_->index(row, 0));
}

void PlanStation::refresh() {
  showPage(ready(), tr("The plan waits for a measurement. Choose a drive on the Bench and measure it."));
  if (!ready()) return;
  propose_->setText(view().proposal ? tr("Propose again") : tr("Propose"));
  propose_->setEnabled(!session_.busy());
  summary_->setText(summary());
  summary_->setToolTip(summary());
  stairs_->show(view());
  fillCeilings();
  fillLines();
}

QString PlanStation::figure() const {
  const auto count = view().plan.lines.size();
  if (!ready()) return tr("not measured");
  if (count == 0) return tr("empty");
  const QString gain = Words::bytes(view().planned.sure);
  return count == 1 ? tr("1 line · %1").arg(gain) : tr("%1 lines · %2").arg(count).arg(gain);
}

void PlanStation::enter() {
  if (ready()) (view().plan.lines.empty() ? static_cast<QWidget*>(propose_) : lines_)->setFocus();
}

}  // namespace zt::desktop
