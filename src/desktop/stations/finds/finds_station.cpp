// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/finds/finds_station.h"
#include "desktop/session/measure_desk.h"
#include "desktop/stations/destination.h"

#include <QtWidgets>

#include "desktop/models/finds_delegate.h"
#include "desktop/style/language.h"
#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

FindsStation::FindsStation(Session& session, Prompter& prompter, QWidget* parent)
    : Station(session, prompter, parent) {
  auto* page = setupPages("findsStation");
  auto* both = new QVBoxLayout(page);
  both->setContentsMargins(0, 0, 0, 0);
  auto* row = new QHBoxLayout;
  both->addLayout(row, 1);
  auto* foot = new QHBoxLayout;
  both->addLayout(foot);
  auto* left = new QVBoxLayout;
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Finds"), page));
  head->addSpacing(10);
  summary_ = noteLabel({}, page, "findsSummary");
  head->addWidget(summary_, 1);
  match_ = linkButton(tr("Compare contents (Ctrl+D)"), "matchContents", page);
  match_->setToolTip(
      tr("Reads files of equal length and finds those that are the same, whole folders and disk images. What "
         "is too "
         "short to matter against the shortfall is left out; Ctrl+Shift+D leaves nothing out."));
  connect(match_, &QPushButton::clicked, this, [this] {
    if (view().survey && !session_.busy()) MeasureDesk(session_).match();
  });
  head->addWidget(match_);
  left->addLayout(head);
  ladder_ = new LadderStrip(page);
  connect(ladder_, &LadderStrip::rungPicked, this, [this](Regret ceiling) {
    if (!session_.busy()) desk_.propose(ceiling), Q_EMIT goTo(planStation);
  });
  connect(ladder_, &LadderStrip::decisionsPicked, this, [this] {
    if (!session_.busy()) desk_.propose({}), Q_EMIT goTo(planStation);
  });
  left->addWidget(ladder_);
  list_ = ledgerView("finds", tr("Finds"), page);
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
  question_ = new QuestionLine("findsFilter",
                               tr("/  part of a name, over 1 GB, older 1 y, trash, spent, of NAME…"), page);
  connect(question_, &QuestionLine::asked, this, [this](const Question& question) {
    model_->setQuestion(question);
    refresh();
  });
  connect(question_, &QuestionLine::entered, this, &FindsStation::enter);
  foot->addWidget(question_, 1);
  setupKeys(foot);
  row->addLayout(left, 10);
  evidence_ = new EvidencePanel(
      [this](const PathBytes& path, Glance::Then then) { lookInto(path, std::move(then)); }, page);
  row->addWidget(evidence_, 11);
  connect(evidence_, &EvidencePanel::exempted, this, &FindsStation::exempt);
  connect(evidence_, &EvidencePanel::withPointsPlanned, this, [this] { judge(Saying::withPoints); });
  connect(evidence_, &EvidencePanel::pointsPlanned, this, [this](const std::vector<PathBytes>& points) {
    Narrowing by;
    by.only = points;
    if (!session_.busy()) desk_.planFinds({current_}, {}, by);
  });
  connect(&session_, &Session::findsCame, this, &FindsStation::refresh);
  connect(list_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) {
            const Find* find = model_->findAt(index);
            if (find != nullptr) current_ = find->id;
            showEvidence(find);
          });
}

void FindsStation::setupKeys(QHBoxLayout* row) {
  row->addSpacing(16);
  const auto add = [&](const QString& text, const char* name, Saying saying) {
    auto* b = button(text, name, this);
    b->setFocusPolicy(Qt::TabFocus);
    connect(b, &QPushButton::clicked, this, [this, saying] { judge(saying); });
    row->addWidget(b);
  };
  add(tr("P  plan it"), "planFind", Saying::plan);
  add(tr("H  hold it"), "holdFind", Saying::hold);
  add(tr("K  keep"), "keepFind", Saying::keep);
  add(tr("M  may go"), "mayGoFind", Saying::mayGo);
  add(tr("N  not now"), "notNowFind", Saying::notNow);
  add(tr("R  rule…"), "ruleForFinds", Saying::rule);
}

bool FindsStation::eventFilter(QObject* watched, QEvent* event) {
  if (watched != list_ || event->type() != QEvent::KeyPress) return Station::eventFilter(watched, event);
  const auto* key = static_cast<QKeyEvent*>(event);
  if ((key->modifiers() & ~Qt::KeypadModifier) != Qt::NoModifier) return false;
  static constexpr std::pair<Qt::Key, Saying> keys[] = {
      {Qt::Key_P, Saying::plan},       {Qt::Key_H, Saying::hold},  {Qt::Key_K, Saying::keep},
      {Qt::Key_S, Saying::withPoints}, {Qt::Key_M, Saying::mayGo}, {Qt::Key_N, Saying::notNow},
      {Qt::Key_R, Saying::rule},       {Qt::Key_T, Saying::move}};
  for (const auto& [k, saying] : keys)
    if (key->key() == k) return judge(saying), true;
  if (key->key() != Qt::Key_Space && key->key() != Qt::Key_Return) return false;
  // On a group or a fold: open and close.
  list_->setExpanded(list_->currentIndex(), !list_->isExpanded(list_->currentIndex()));
  return true;
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
    for (const auto& item : find->items)
      paths.append(say(&Words::path, joinPath(view().survey->root, item.path)));
  return paths;
}

void FindsStation::planChosen(const std::vector<const Find*>& finds, const std::string& action) {
  const auto planned = [&](const Find* f) {
    const PlanLine* line = view().plan.find(f->id);
    // The usual step of a find is its first offer.
    const bool usual = line != nullptr && !f->offers.empty() && line->step->id == f->offers.front().action;
    return line != nullptr && (action.empty() ? usual : line->step->id == action);
  };
  std::vector<std::string> ids;
  ids.reserve(finds.size());
  for (const Find* f : finds) ids.push_back(f->id);
  if (std::all_of(finds.begin(), finds.end(), planned))
    desk_.drop(ids);
  else
    desk_.planFinds(ids, action);
}

void FindsStation::markChosen(const std::vector<const Find*>& finds, Mark mark) {
  std::vector<PathBytes> paths;
  for (const Find* f : finds)
    for (const auto& item : f->items) paths.push_back(item.path);
  const bool said =
      std::all_of(finds.begin(), finds.end(), [&](const Find* f) { return view().marks.of(*f) == mark; });
  desk_.mark(paths, said ? std::nullopt : std::optional(mark));
}

void FindsStation::judge(Saying saying) {
  const auto all = chosen();
  if (all.empty() || session_.busy()) return;
  switch (saying) {
    case Saying::plan:
      planChosen(all, {});
      break;
    case Saying::withPoints: {
      std::vector<std::string> ids;
      for (const Find* f : all) ids.push_back(f->id);
      desk_.planWithPoints(ids);
      break;
    }
    case Saying::hold:
      planChosen(all, "hold");
      break;
    case Saying::move: {
      std::vector<std::string> ids;
      for (const Find* f : all) ids.push_back(f->id);
      const auto told = askDestination(this, prompter_);
      if (!told) return;
      desk_.planFinds(ids, "transfer", {}, *told);
      break;
    }
    case Saying::keep:
      return markChosen(all, Mark::keep);
    case Saying::rule:
      return askRule(all);
    case Saying::mayGo:
      markChosen(all, Mark::mayGo);
      break;
    case Saying::notNow:
      markChosen(all, Mark::notNow);
      break;
  }
  if (all.size() == 1) goOn();
}

/// Finds of things in the same folder as those of a find, itself among them, as far as the list shows them.
std::vector<const Find*> FindsStation::allBeside(const Find& find) const {
  std::vector<const Find*> all;
  const std::string_view here = parentPath(find.items.front().path);
  for (const Find& other : *view().finds)
    if (!other.offers.empty() && parentPath(other.items.front().path) == here &&
        model_->indexOf(other.id).isValid())
      all.push_back(&other);
  return all;
}

/// A rule on the things of the chosen finds. It is asked as a menu: two keys, and nothing to spell.
void FindsStation::askRule(const std::vector<const Find*>& finds) {
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("rules"));
  menu.setProperty("word", QStringLiteral("rule"));
  const auto offer = [&](const QString& text, const std::vector<const Find*>& on, const Narrowing& by) {
    std::vector<std::string> ids(on.size());
    std::transform(on.begin(), on.end(), ids.begin(), [](const Find* find) { return find->id; });
    menu.addAction(text, this, [this, ids, by] { desk_.planFinds(ids, {}, by); });
  };
  const TimeNs now = view().context->options.now;
  menu.addAction(tr("Plan, of what is chosen:"))->setEnabled(false);
  offer(tr("what is &older than 30 days"), finds, {now - 30 * nsPerDay, 0, {}, {}});
  offer(tr("what is older than &90 days"), finds, {now - 90 * nsPerDay, 0, {}, {}});
  offer(tr("what is older than a &year"), finds, {now - 365 * nsPerDay, 0, {}, {}});
  for (const std::size_t stay : {1u, 3u, 5u})
    offer(tr("all but the newest &%1").arg(stay), finds, {0, stay, {}, {}});
  const Find* current = model_->findAt(list_->currentIndex());
  if (current != nullptr && !current->items.empty()) {
    const NodeId thing = evidence_->currentThing();
    const bool one = current->items.size() == 1 || thing == noNode;
    const PathBytes stays = one ? current->items.front().path : view().context->tree.path(thing);
    offer(tr("all &here but %1")
              .arg(fontMetrics().elidedText(
                  say(&Words::path, baseName(stays)).replace(QLatin1Char('&'), QLatin1String("&&")),
                  Qt::ElideMiddle, 260)),
          current->items.size() == 1 ? allBeside(*current) : std::vector<const Find*>{current},
          {0, 0, {stays}, {}});
  }
  menu.exec(list_->viewport()->mapToGlobal(list_->visualRect(list_->currentIndex()).bottomLeft()));
}

/// Keeps one thing of a find, whose other things stay as they are; or takes that back.
void FindsStation::exempt(NodeId thing) {
  if (session_.busy() || !view().context) return;
  const PathBytes path = view().context->tree.path(thing);
  desk_.mark({path}, view().marks.of(path) == Mark::keep ? std::nullopt : std::optional(Mark::keep));
}

void FindsStation::goOn() {
  QModelIndex next = list_->indexBelow(list_->currentIndex());
  while (next.isValid() && model_->findAt(next) == nullptr) next = list_->indexBelow(next);
  if (next.isValid()) list_->setCurrentIndex(next);
}

/// While a survey is made: what has been found so far.
FindsShown FindsStation::shown() const {
  if (const auto& coming = session_.coming())
    return {coming->context, {coming, &coming->finds}, nullptr, nullptr, view().shortfall()};
  const auto all = session_.sharedView();
  return {all->context, all->finds, {all, &all->marks}, {all, &all->plan}, all->shortfall()};
}

/// Of finds that still come nothing is known but what they say themselves.
void FindsStation::showEvidence(const Find* find) {
  const FindsShown now = shown();
  evidence_->show(find, now.context, now.context == view().context ? view().evidence.get() : nullptr);
}

void FindsStation::select(const QModelIndex& index) {
  const int scroll = list_->verticalScrollBar()->value();
  if (index.isValid()) list_->setCurrentIndex(index);
  list_->verticalScrollBar()->setValue(scroll);
}

void FindsStation::refresh() {
  showPage(ready());
  if (!ready()) return;
  match_->setEnabled(view().survey != nullptr && !session_.busy());
  const std::string keep = current_;
  const FindsShown now = shown();
  model_->show(now);
  if (now.context && asked_ != now.context) {
    asked_ = now.context;
    question_->setWords(questionWords(*asked_, findKinds(*session_.workshop().craft)));
  }
  for (int i = 0; i < model_->rowCount(); ++i) list_->expand(model_->index(i, 0));
  if (!session_.coming() && !list_->currentIndex().isValid()) {
    QModelIndex at = model_->indexOf(keep);
    if (!at.isValid() && model_->rowCount() > 0) at = model_->index(0, 0, model_->index(0, 0));
    select(at);
  }
  QString text = session_.coming() ? counted(model_->shown(), "%1 find so far", "%1 finds so far")
                                   : counted(model_->shown(), "%1 find", "%1 finds");
  if (model_->shown() == 0 && !session_.coming() && !view().finds->empty())
    text = tr("nothing answers this question");
  if (model_->folded() > 0) text += tr(" · %1 small ones folded").arg(say(&Words::number, model_->folded()));
  for (const auto& problem : view().problems)
    text += tr(" · looking for %1 failed: %2")
                .arg(say(&Words::findKind, problem.detector), say(&Words::error, problem.error));
  summary_->setText(text);
  summary_->setToolTip(text);
  ladder_->show(view().picture(), view().ladder, {});
  ladder_->setVisible(!session_.coming() && view().survey != nullptr);
  showEvidence(model_->findAt(list_->currentIndex()));
}

QString FindsStation::waitsFor() const {
  return tr("Finds wait for a measurement. Choose a drive on the Bench and measure it.");
}

QString FindsStation::figure() const {
  if (!view().survey) return tr("not measured");
  return tr("%1 finds").arg(QLocale().toString(static_cast<qulonglong>(view().finds->size())));
}

void FindsStation::enter() {
  if (ready()) list_->setFocus();
}

void FindsStation::startFilter() {
  question_->start();
}

void FindsStation::showPoints() {
  for (const Find& find : *view().finds) {
    const QModelIndex at = find.kind == "points" ? model_->indexOf(find.id) : QModelIndex();
    if (!at.isValid()) continue;
    list_->scrollTo(at);
    list_->setCurrentIndex(at);
    return;
  }
}

void FindsStation::showStanding(Standing standing) {
  const QModelIndex group = model_->groupOf(standing);
  if (!group.isValid()) return;
  list_->scrollTo(group, QAbstractItemView::PositionAtTop);
  list_->setCurrentIndex(model_->index(0, 0, group));
}

}  // namespace zt::desktop
