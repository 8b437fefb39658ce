// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/finds/finds_station.h"

#include <QtWidgets>

#include "desktop/models/finds_delegate.h"
#include "desktop/style/palette.h"
#include "desktop/style/words.h"

namespace zt::desktop {

FindsStation::FindsStation(Session& session, Prompter& prompter, QWidget* parent)
    : Station(session, prompter, parent) {
  auto* page = setupPages("findsStation");
  auto* row = new QHBoxLayout(page);
  row->setContentsMargins(0, 0, 0, 0);
  auto* left = new QVBoxLayout;
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Finds"), page));
  head->addSpacing(10);
  summary_ = noteLabel({}, page, "findsSummary");
  head->addWidget(summary_, 1);
  left->addLayout(head);
  list_ = ledgerView("finds", page);
  list_->setUniformRowHeights(false);
  list_->setHeaderHidden(true);
  list_->setIndentation(0);
  list_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  model_ = new FindsModel(this);
  list_->setModel(model_);
  list_->setItemDelegate(new FindsDelegate(this));
  list_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  list_->header()->setSectionResizeMode(1, QHeaderView::Fixed);
  list_->setColumnWidth(1, 110);
  list_->installEventFilter(this);
  left->addWidget(list_, 1);
  filter_ = new QLineEdit(page);
  filter_->setObjectName(QStringLiteral("findsFilter"));
  filter_->setPlaceholderText(tr("/  name, size>1GB, age>1y, kind:trash, standing:spent, owner:…"));
  filter_->setClearButtonEnabled(true);
  connect(filter_, &QLineEdit::textChanged, this, [this](const QString& text) {
    model_->setFilter(text);
    for (int i = 0; i < model_->rowCount(); ++i) list_->expand(model_->index(i, 0));
    refresh();
  });
  connect(filter_, &QLineEdit::returnPressed, this, &FindsStation::enter);
  left->addWidget(filter_);
  row->addLayout(left, 10);
  auto* right = new QVBoxLayout;
  evidence_ = new EvidencePanel(page);
  right->addWidget(evidence_, 1);
  setupKeys(right);
  row->addLayout(right, 11);
  connect(list_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) {
            const Find* find = model_->findAt(index);
            if (find != nullptr) current_ = find->id;
            evidence_->show(find, view());
          });
}

void FindsStation::setupKeys(QLayout* box) {
  auto* row = new QHBoxLayout;
  row->setContentsMargins(22, 0, 0, 0);
  const auto add = [&](const QString& text, const char* name, Judgement judgement) {
    auto* b = button(text, name, this);
    b->setFocusPolicy(Qt::TabFocus);
    connect(b, &QPushButton::clicked, this, [this, judgement] { judge(judgement); });
    row->addWidget(b);
  };
  add(tr("P  plan it"), "planFind", Judgement::plan);
  add(tr("H  hold it"), "holdFind", Judgement::hold);
  add(tr("K  keep"), "keepFind", Judgement::keep);
  add(tr("N  not now"), "notNowFind", Judgement::notNow);
  row->addStretch();
  static_cast<QVBoxLayout*>(box)->addLayout(row);
}

bool FindsStation::eventFilter(QObject* watched, QEvent* event) {
  if (watched != list_ || event->type() != QEvent::KeyPress) return Station::eventFilter(watched, event);
  const auto* key = static_cast<QKeyEvent*>(event);
  if ((key->modifiers() & ~Qt::KeypadModifier) != Qt::NoModifier) return false;
  switch (key->key()) {
    case Qt::Key_P:
      judge(Judgement::plan);
      return true;
    case Qt::Key_H:
      judge(Judgement::hold);
      return true;
    case Qt::Key_K:
      judge(Judgement::keep);
      return true;
    case Qt::Key_N:
      judge(Judgement::notNow);
      return true;
    case Qt::Key_Space:
    case Qt::Key_Return:
      // On a group or a fold: open and close.
      list_->setExpanded(list_->currentIndex(), !list_->isExpanded(list_->currentIndex()));
      return true;
    default:
      return false;
  }
}

std::vector<const Find*> FindsStation::chosen() const {
  std::vector<const Find*> all;
  for (const QModelIndex& index : list_->selectionModel()->selectedRows())
    if (const Find* find = model_->findAt(index)) all.push_back(find);
  if (all.empty())
    if (const Find* find = model_->findAt(list_->currentIndex())) all.push_back(find);
  return all;
}

QStringList FindsStation::currentPaths() const {
  QStringList paths;
  for (const Find* find : chosen())
    for (const auto& item : find->items) paths.append(Words::path(joinPath(view().survey->root, item.path)));
  return paths;
}

void FindsStation::judgeOne(const Find& find, Judgement judgement) {
  const PlanLine* line = view().plan.find(find.id);
  const auto mark = view().markOf(find.id);
  const auto toggleLine = [&](StepAction action) {
    if (line != nullptr && line->action == action)
      session_.drop(find.id);
    else
      session_.planFind(find.id, action);
  };
  const auto toggleMark = [&](Mark wanted) {
    session_.mark(find.id, mark == wanted ? std::nullopt : std::optional(wanted));
  };
  switch (judgement) {
    case Judgement::plan:
      return toggleLine(StepAction::discard);
    case Judgement::hold:
      return toggleLine(StepAction::hold);
    case Judgement::keep:
      return toggleMark(Mark::kept);
    case Judgement::notNow:
      return toggleMark(Mark::notNow);
  }
}

void FindsStation::judge(Judgement judgement) {
  const auto all = chosen();
  if (all.empty() || session_.busy()) return;
  const bool single = all.size() == 1;
  for (const Find* find : all) judgeOne(*find, judgement);
  if (single && judgement != Judgement::keep) goOn();
}

void FindsStation::goOn() {
  QModelIndex next = list_->indexBelow(list_->currentIndex());
  while (next.isValid() && model_->findAt(next) == nullptr) next = list_->indexBelow(next);
  if (next.isValid()) list_->setCurrentIndex(next);
}

void FindsStation::refresh() {
  showPage(ready(), tr("Finds wait for a measurement. Choose a drive on the Bench and measure it."));
  if (!ready()) return;
  const std::string keep = current_;
  const int scroll = list_->verticalScrollBar()->value();
  model_->show(view());
  for (int i = 0; i < model_->rowCount(); ++i) list_->expand(model_->index(i, 0));
  QModelIndex at = list_->currentIndex();
  if (!at.isValid()) {
    at = model_->indexOf(keep);
    if (!at.isValid() && model_->rowCount() > 0) at = model_->index(0, 0, model_->index(0, 0));
    if (at.isValid()) list_->setCurrentIndex(at);
    list_->verticalScrollBar()->setValue(scroll);
  }
  QString text = tr("%1 finds").arg(QLocale().toString(static_cast<qulonglong>(model_->shown())));
  if (model_->folded() > 0)
    text += tr(" · %1 small ones folded").arg(QLocale().toString(static_cast<qulonglong>(model_->folded())));
  summary_->setText(text);
  evidence_->show(model_->findAt(list_->currentIndex()), view());
}

QString FindsStation::figure() const {
  if (!ready() || !view().finds) return tr("not measured");
  return tr("%1 finds").arg(QLocale().toString(static_cast<qulonglong>(view().finds->size())));
}

void FindsStation::enter() {
  if (ready()) list_->setFocus();
}

void FindsStation::startFilter() {
  filter_->setFocus();
  filter_->selectAll();
}

void FindsStation::showStanding(Standing standing) {
  const QModelIndex group = model_->groupOf(standing);
  if (!group.isValid()) return;
  list_->scrollTo(group, QAbstractItemView::PositionAtTop);
  list_->setCurrentIndex(model_->index(0, 0, group));
}

}  // namespace zt::desktop
