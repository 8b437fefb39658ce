// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/survey/survey_station.h"

#include <QtWidgets>

#include "core/finds/query.h"
#include "desktop/models/ribbon_delegate.h"
#include "desktop/stations/survey/look_inside.h"
#include "desktop/style/palette.h"
#include "desktop/style/words.h"

namespace zt::desktop {

SurveyStation::SurveyStation(Session& session, Prompter& prompter, QWidget* parent)
    : Station(session, prompter, parent) {
  auto* page = setupPages("surveyStation");
  auto* row = new QHBoxLayout(page);
  row->setContentsMargins(0, 0, 0, 0);
  auto* left = new QVBoxLayout;
  statement_ = new StatementPage(page);
  sources_ = linkButton(tr("how each line was obtained…"), "sources", page);
  exceptions_ = linkButton({}, "exceptions", page);
  left->addWidget(statement_, 1);
  left->addWidget(sources_);
  left->addWidget(exceptions_);
  row->addLayout(left);
  row->addSpacing(22);
  auto* right = new QVBoxLayout;
  faces_ = new QStackedWidget(page);
  faces_->addWidget(setupFolders());
  field_ = new FieldFace(page);
  faces_->addWidget(field_);
  faces_->addWidget(setupList());
  right->addWidget(faces_, 1);
  setupFilter(right);
  row->addLayout(right, 1);
  connect(field_, &FieldFace::foldersWanted, this, [this] { showFace(foldersFace); });
  connect(field_, &FieldFace::planWanted, this, [this](const std::vector<PathBytes>& paths) {
    for (const PathBytes& path : paths) session_.pickPath(path, StepAction::discard);
  });
  connect(&engine_, &ListEngine::summed, this, &SurveyStation::showSums);
  connect(exceptions_, &QPushButton::clicked, this, &SurveyStation::listExceptions);
  connect(sources_, &QPushButton::clicked, this, &SurveyStation::explainStatement);
}

QWidget* SurveyStation::setupFolders() {
  auto* page = new QWidget(this);
  auto* box = new QVBoxLayout(page);
  box->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Folders"), page));
  head->addSpacing(24);
  lenses_ = new QButtonGroup(this);
  const QStringList names{tr("standing"), tr("age"), tr("kind"), tr("owner")};
  for (int i = 0; i < lenses; ++i) {
    auto* b = linkButton(names[i], QByteArray("lens" + QByteArray::number(i)).constData(), page);
    b->setCheckable(true);
    b->setToolTip(tr("What the ribbons are made of: %1").arg(names[i]));
    lenses_->addButton(b, i);
    head->addWidget(b);
    head->addSpacing(14);
  }
  lenses_->button(0)->setChecked(true);
  connect(lenses_, &QButtonGroup::idClicked, this, &SurveyStation::setLens);
  head->addStretch();
  auto* field = linkButton(tr("age × size field"), "showField", page);
  connect(field, &QPushButton::clicked, this, [this] { showFace(fieldFace); });
  head->addWidget(field);
  box->addLayout(head);
  legend_ = new LegendStrip(page);
  box->addWidget(legend_);
  tree_ = ledgerView("folders", page);
  tree_->setRootIsDecorated(true);
  tree_->setIndentation(18);
  folders_ = new FolderModel(this);
  tree_->setModel(folders_);
  tree_->setItemDelegateForColumn(FolderModel::madeOfColumn, new RibbonDelegate(this));
  tree_->header()->setSectionResizeMode(FolderModel::nameColumn, QHeaderView::Stretch);
  tree_->setColumnWidth(FolderModel::madeOfColumn, 250);
  for (int c = FolderModel::occupiedColumn; c < FolderModel::columns; ++c) tree_->setColumnWidth(c, 88);
  for (const int c : {FolderModel::lengthColumn, FolderModel::exclusiveColumn, FolderModel::filesColumn})
    tree_->setColumnHidden(c, true);
  tree_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  tree_->header()->setSortIndicator(FolderModel::occupiedColumn, Qt::DescendingOrder);
  tree_->setSortingEnabled(true);
  connect(tree_, &QTreeView::activated, this, [this](const QModelIndex& index) {
    if (folders_->isRest(index)) listFolder(folders_->nodeAt(index));
  });
  connect(tree_->selectionModel(), &QItemSelectionModel::selectionChanged, this, &SurveyStation::updateNote);
  tree_->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(tree_, &QTreeView::customContextMenuRequested, this,
          [this](const QPoint& at) { contextMenu(tree_->viewport()->mapToGlobal(at)); });
  connect(tree_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, &SurveyStation::updateNote);
  box->addWidget(tree_, 1);
  note_ = noteLabel({}, page, "folderNote");
  box->addWidget(note_);
  auto* plan = new QShortcut(QKeySequence(Qt::Key_P), tree_, nullptr, nullptr, Qt::WidgetShortcut);
  auto* hold = new QShortcut(QKeySequence(Qt::Key_H), tree_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(plan, &QShortcut::activated, this, [this] { planCurrent(StepAction::discard); });
  connect(hold, &QShortcut::activated, this, [this] { planCurrent(StepAction::hold); });
  auto* look = new QShortcut(QKeySequence(Qt::Key_L), tree_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(look, &QShortcut::activated, this, &SurveyStation::lookInside);
  return page;
}

QWidget* SurveyStation::setupList() {
  auto* page = new QWidget(this);
  auto* box = new QVBoxLayout(page);
  box->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("List"), page));
  head->addStretch();
  auto* back = linkButton(tr("folders"), "listToFolders", page);
  connect(back, &QPushButton::clicked, this, [this] {
    filter_->clear();
    showFace(foldersFace);
  });
  head->addWidget(back);
  box->addLayout(head);
  list_ = new ListFace(page);
  box->addWidget(list_, 1);
  connect(list_, &ListFace::menuWanted, this, &SurveyStation::contextMenu);
  connect(list_, &ListFace::opened, this, [this](NodeId node) {
    showFace(foldersFace);
    chooseRow(tree_, folders_->indexOf(node));
  });
  for (const auto& [key, run] : std::initializer_list<std::pair<Qt::Key, std::function<void()>>>{
           {Qt::Key_P, [this] { planCurrent(StepAction::discard); }},
           {Qt::Key_H, [this] { planCurrent(StepAction::hold); }},
           {Qt::Key_L, [this] { lookInside(); }}}) {
    auto* shortcut = new QShortcut(QKeySequence(key), list_->table(), nullptr, nullptr, Qt::WidgetShortcut);
    connect(shortcut, &QShortcut::activated, this, run);
  }
  return page;
}

void SurveyStation::setupFilter(QVBoxLayout* box) {
  filterProblem_ = noteLabel({}, this, "filterProblem");
  filterProblem_->hide();
  box->addWidget(filterProblem_);
  filter_ = new QLineEdit(this);
  filter_->setObjectName(QStringLiteral("surveyFilter"));
  filter_->setPlaceholderText(
      tr("/  part of a name, size>1GB, age>1y, kind:video, owner:…, standing:spent, is:folder"));
  filter_->setClearButtonEnabled(true);
  completions_ = new QStringListModel(this);
  auto* completer = new QCompleter(completions_, this);
  completer->setCompletionMode(QCompleter::UnfilteredPopupCompletion);
  filter_->setCompleter(completer);
  connect(filter_, &QLineEdit::textEdited, this, [this](const QString& text) {
    QStringList words;
    const OwnerNames owners = view().context ? view().context->options.owners : OwnerNames();
    for (const auto& word : completeQuery(text.toStdString(), owners))
      words.append(QString::fromStdString(word));
    completions_->setStringList(words);
  });
  connect(filter_, &QLineEdit::textChanged, this, &SurveyStation::askFilter);
  connect(filter_, &QLineEdit::returnPressed, this, [this] {
    if (faceShown() == listFace) list_->table()->setFocus();
  });
  box->addWidget(filter_);
}

/// In a narrow window the ribbons give way to the names.
void SurveyStation::resizeEvent(QResizeEvent* event) {
  Station::resizeEvent(event);
  // The station's own width: what lies in it is laid out only after this.
  tree_->setColumnWidth(FolderModel::madeOfColumn, std::clamp(width() - 740, 90, 250));
}

void SurveyStation::refresh() {
  showPage(ready() || watching(),
           session_.work() == Session::Work::measuring
               ? tr("Measuring. What is accounted for already shows in the Level.")
               : tr("Nothing is measured yet. Choose a drive on the Bench and measure it."));
  if (watching()) return showProgress();
  if (!ready()) return;
  statement_->show(view());
  const auto count = view().survey->exceptions.size();
  exceptions_->setVisible(count > 0 && faceShown() != fieldFace);
  sources_->setVisible(faceShown() != fieldFace);
  exceptions_->setText(count == 1 ? tr("1 place could not be looked into…")
                                  : tr("%1 places could not be looked into…").arg(count));
  filter_->setEnabled(true);
  if (shown_ != view().survey || folders_->isLive()) showSurvey();
  field_->show(view());
  updateNote();
}

std::vector<PathBytes> SurveyStation::expandedPaths() const {
  std::vector<PathBytes> paths;
  const SurveyTree* t = session_.live() ? &session_.live()->tree() : shown_ ? &shown_->tree : nullptr;
  std::vector<QModelIndex> open{folders_->index(0, 0)};
  while (!open.empty() && t != nullptr) {
    const QModelIndex at = open.back();
    open.pop_back();
    if (!at.isValid() || !tree_->isExpanded(at)) continue;
    paths.push_back(t->path(folders_->nodeAt(at)));
    for (int row = 0; row < folders_->rowCount(at); ++row) open.push_back(folders_->index(row, 0, at));
  }
  return paths;
}

/// A new survey takes the place of what was shown: what was open stays open, and the cursor stays where it
/// is.
void SurveyStation::showSurvey() {
  const PathBytes current = folders_->isLive() || shown_ ? livePath_ : PathBytes{};
  const std::vector<PathBytes> expanded = openPaths_;
  shown_ = view().survey;
  folders_->show(view().survey, view().context, view().composition);
  list_->setContext(view().context);
  tree_->expand(folders_->index(0, 0));
  for (const PathBytes& path : expanded)
    if (const auto node = shown_->tree.find(path)) tree_->expand(folders_->indexOf(*node));
  chooseRow(tree_, folders_->indexOf(shown_->tree.find(current).value_or(0)));
  updateLegend();
  if (!filter_->text().isEmpty()) askFilter();
}

void SurveyStation::showProgress() {
  if (!watching()) return;
  const bool first = !folders_->isLive();
  showPage(true, {});
  folders_->showLive(session_.live());
  field_->showLive(session_.live()->field());
  if (first) {
    shown_.reset();
    openPaths_.clear();
    livePath_.clear();
    list_->setContext(nullptr);
    filter_->setEnabled(false);
    if (faceShown() == listFace) showFace(foldersFace);
    legend_->say(tr("so far, by name; sorted by size when all is counted"));
    statement_->show(view());
    sources_->hide();
    exceptions_->hide();
  }
  tree_->expand(folders_->index(0, 0));
  note_->setText(tr("counted so far: %1").arg(Words::bytes(session_.live()->occupied(0))));
}

QString SurveyStation::figure() const {
  if (watching()) return tr("%1 so far").arg(Words::bytes(session_.live()->occupied(0)));
  if (!ready()) return tr("not measured");
  const QString seen = tr("%1 seen").arg(Words::bytes(view().survey->tree.totals(0).occupied));
  if (view().imported) return seen + tr(" · imported");
  return view().stale ? seen + tr(" · stale") : seen;
}

void SurveyStation::enter() {
  if (!ready() && !watching()) return;
  QWidget* const faces[] = {tree_, field_->grid(), list_->table()};
  faces[faceShown()]->setFocus();
}

void SurveyStation::startFilter() {
  filter_->setFocus();
  filter_->selectAll();
}

void SurveyStation::showFace(Face face) {
  faces_->setCurrentIndex(face);
  // The field needs the room; the statement is one key away.
  statement_->setVisible(face != fieldFace);
  filter_->setVisible(face != fieldFace);
  sources_->setVisible(face != fieldFace && view().survey);
  exceptions_->setVisible(face != fieldFace && view().survey && !view().survey->exceptions.empty());
  if (!filter_->hasFocus()) enter();
}

SurveyStation::Face SurveyStation::faceShown() const {
  return static_cast<Face>(faces_->currentIndex());
}

void SurveyStation::askFilter() {
  if (!ready() || !view().context) return;
  const std::string text = filter_->text().trimmed().toStdString();
  filterProblem_->hide();
  if (text.empty()) {
    if (faceShown() == listFace) showFace(foldersFace);
    return;
  }
  const auto query = parseQuery(text, view().context->options.owners);
  if (!query) {
    filterProblem_->setText(tr("not understood yet: %1").arg(QString::fromStdString(query.error().detail)));
    filterProblem_->show();
    return;
  }
  if (faceShown() != listFace) showFace(listFace);
  list_->ask(*query);
}

void SurveyStation::listFolder(NodeId folder) {
  const QString path = QString::fromStdString(escapePath(view().survey->tree.path(folder)));
  filter_->setText(folder == 0 ? QStringLiteral("*") : QStringLiteral("\"in:%1\"").arg(path));
  list_->table()->setFocus();
}
void SurveyStation::setColumnShown(FolderModel::Column column, bool shown) {
  tree_->setColumnHidden(column, !shown);
}
bool SurveyStation::columnShown(FolderModel::Column column) const {
  return !tree_->isColumnHidden(column);
}

void SurveyStation::setLens(int lens) {
  folders_->setLens(static_cast<Lens>(lens));
  tree_->viewport()->update();
  updateLegend();
}

void SurveyStation::updateLegend() {
  if (folders_->composition() == nullptr) return;
  QStringList names;
  for (int i = 0; i < lensParts; ++i) names.append(folders_->composition()->partName(folders_->lens(), i));
  legend_->show(names);
}

PathBytes SurveyStation::currentPath() const {
  const NodeId node = currentNode();
  return view().survey && node != noNode ? view().survey->tree.path(node) : PathBytes{};
}

std::vector<NodeId> SurveyStation::pickedFolders() const {
  std::vector<NodeId> nodes;
  for (const QModelIndex& index : tree_->selectionModel()->selectedRows())
    if (!folders_->isRest(index)) nodes.push_back(folders_->nodeAt(index));
  return nodes;
}

void SurveyStation::updateNote() {
  if (!view().survey || view().survey != shown_ || folders_->isLive()) return;
  if (auto picked = pickedFolders(); picked.size() > 1) {
    engine_.sum(view().context, std::make_shared<const std::vector<NodeId>>(std::move(picked)));
    return;
  }
  const SurveyTree& t = view().survey->tree;
  const NodeId node = folders_->nodeAt(tree_->currentIndex());
  if (node == noNode) return note_->clear();
  QString text = node == 0 ? QStringLiteral("/") : Words::path(t.path(node));
  text += QStringLiteral(" · ") + Words::standing(view().context->standing[node]);
  if (t.isFolder(node)) text += tr(" · %1 files").arg(QLocale().toString(t.totals(node).files));
  text += tr(" · occupied %1").arg(Words::bytes(t.weight(node)));
  text += tr(" · exclusive %1").arg(Words::bytes(columnValue(*view().context, node, ListColumn::exclusive)));
  say(text);
}

void SurveyStation::showSums(const ListSums& sums) {
  if (sums.entries < 2 || sums.entries != pickedFolders().size()) return;
  say(tr("%1 picked · occupied together %2 · freed if all of them go %3")
          .arg(QLocale().toString(static_cast<qulonglong>(sums.entries)), Words::bytes(sums.occupied),
               Words::bytes(sums.exclusive)));
}

void SurveyStation::say(const QString& text) {
  note_->setText(note_->fontMetrics().elidedText(text, Qt::ElideMiddle, std::max(200, faces_->width() - 8)));
  note_->setToolTip(text);
}

void SurveyStation::listExceptions() {
  QStringList lines;
  for (const auto& e : view().survey->exceptions) {
    if (lines.size() == 200) {
      lines.append(tr("and %1 more").arg(view().survey->exceptions.size() - 200));
      break;
    }
    lines.append(Words::path(view().survey->tree.path(e.node)) + QStringLiteral(": ") +
                 Words::exception(e.kind));
  }
  prompter_.tell(this, tr("Not looked into"), lines.join(QLatin1Char('\n')));
}

void SurveyStation::explainStatement() {
  if (!ready()) return;
  const Statement& s = view().survey->statement;
  QString text;
  for (std::size_t i = 0; i < statementLines; ++i) {
    const auto line = static_cast<StatementLine>(i);
    QStringList parts;
    for (const StatementPart& part : s.parts)
      if (part.line == line) parts.append(QStringLiteral("      ") + Words::statementPart(part));
    if (s[line] == 0 && parts.isEmpty() && s.source(line) == LineSource::none) continue;
    text +=
        tr("%1: %2, %3")
            .arg(Words::statementLine(line), Words::signedBytes(s[line]), Words::lineSource(s.source(line))) +
        QLatin1Char('\n');
    if (!parts.isEmpty()) text += parts.join(QLatin1Char('\n')) + QLatin1Char('\n');
  }
  if (view().rightsProblem)
    text += QLatin1Char('\n') +
            tr("Measured without the rights asked for: %1").arg(Words::error(*view().rightsProblem));
  prompter_.tell(this, tr("How each line was obtained"), text.trimmed());
}

NodeId SurveyStation::currentNode() const {
  if (faceShown() == listFace) return list_->model()->nodeAt(list_->table()->currentIndex().row());
  return folders_->nodeAt(tree_->currentIndex());
}

void SurveyStation::measureCurrent() {
  if (!ready() || session_.busy() || view().imported) return;
  NodeId node = currentNode();
  if (node == noNode) return;
  const SurveyTree& t = view().survey->tree;
  if (!t.isFolder(node)) node = t.parent(node);
  openPaths_ = expandedPaths();
  livePath_ = t.path(node);
  session_.measureFolder(t.path(node));
}

void SurveyStation::lookInside() {
  const NodeId node = ready() ? currentNode() : noNode;
  if (node == noNode) return;
  const SurveyTree& t = view().survey->tree;
  if (t.isFolder(node)) {
    showInside(this, t, node);
    return;
  }
  session_.look(node, [this, path = t.path(node)](const Peek& peek) { showInside(this, path, peek); });
}

std::vector<PathBytes> SurveyStation::chosenPaths() const {
  std::vector<PathBytes> paths;
  if (!ready()) return paths;
  std::vector<NodeId> nodes;
  if (faceShown() == listFace) {
    nodes = list_->chosen();
  } else {
    nodes = pickedFolders();
  }
  constexpr std::size_t most = 10'000;
  for (const NodeId node : nodes)
    if (node != noNode && paths.size() < most) paths.push_back(view().survey->tree.path(node));
  return paths;
}

void SurveyStation::showStanding(Standing standing) {
  if (!ready()) return;
  const NodeId best = view().composition->largestOf(standing);
  if (best == noNode) return;
  showFace(foldersFace);
  chooseRow(tree_, folders_->indexOf(best));
}

void SurveyStation::planCurrent(StepAction action) {
  for (const PathBytes& path : chosenPaths())
    if (!path.empty()) session_.pickPath(path, action);
}

void SurveyStation::contextMenu(const QPoint& globalPos) {
  const std::vector<PathBytes> paths = chosenPaths();
  if (paths.empty()) return;
  const PathBytes whole = joinPath(view().survey->root, paths.front());
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("entryMenu"));
  if (!view().imported) {
    menu.addAction(tr("Plan to discard\tP"), this, [this] { planCurrent(StepAction::discard); });
    menu.addAction(tr("Plan to hold\tH"), this, [this] { planCurrent(StepAction::hold); });
    menu.addAction(tr("Look inside\tL"), this, &SurveyStation::lookInside);
    menu.addAction(tr("Measure this folder again"), this, &SurveyStation::measureCurrent);
    menu.addSeparator();
  }
  menu.addAction(tr("Copy the path"), this, [paths, root = view().survey->root] {
    QStringList text;
    for (const PathBytes& path : paths) text.append(Words::path(joinPath(root, path)));
    QGuiApplication::clipboard()->setText(text.join(QLatin1Char('\n')));
  });
  if (!view().imported)
    menu.addAction(tr("Open the file manager here"), this, [whole] {
      QDesktopServices::openUrl(
          QUrl::fromLocalFile(QFile::decodeName(QByteArray::fromStdString(std::string(parentPath(whole))))));
    });
  menu.exec(globalPos);
}

}  // namespace zt::desktop
