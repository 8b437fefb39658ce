// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/survey/survey_station.h"

#include <QtWidgets>

#include "desktop/models/ribbon_delegate.h"
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
  exceptions_ = linkButton({}, "exceptions", page);
  left->addWidget(statement_, 1);
  left->addWidget(exceptions_);
  row->addLayout(left);
  row->addSpacing(22);
  faces_ = new QStackedWidget(page);
  faces_->addWidget(setupFolders());
  faces_->addWidget(setupField());
  row->addWidget(faces_, 1);
  connect(exceptions_, &QPushButton::clicked, this, &SurveyStation::listExceptions);
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
  faceSwitch_ = linkButton(tr("age × size field"), "showField", page);
  connect(faceSwitch_, &QPushButton::clicked, this, [this] { showField(true); });
  head->addWidget(faceSwitch_);
  box->addLayout(head);
  legend_ = new QLabel(page);
  legend_->setFont(typeface(Type::small));
  legend_->setForegroundRole(QPalette::PlaceholderText);
  box->addWidget(legend_);
  tree_ = ledgerView("folders", page);
  tree_->setRootIsDecorated(true);
  tree_->setIndentation(18);
  folders_ = new FolderModel(this);
  tree_->setModel(folders_);
  tree_->setItemDelegateForColumn(FolderModel::madeOfColumn, new RibbonDelegate(this));
  tree_->header()->setSectionResizeMode(FolderModel::nameColumn, QHeaderView::Stretch);
  tree_->setColumnWidth(FolderModel::madeOfColumn, 250);
  for (const int c : {FolderModel::occupiedColumn, FolderModel::lengthColumn, FolderModel::exclusiveColumn,
                      FolderModel::newestColumn})
    tree_->setColumnWidth(c, 88);
  tree_->setColumnHidden(FolderModel::lengthColumn, true);
  tree_->setColumnHidden(FolderModel::exclusiveColumn, true);
  tree_->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(tree_, &QTreeView::customContextMenuRequested, this, &SurveyStation::contextMenu);
  connect(tree_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, &SurveyStation::updateNote);
  box->addWidget(tree_, 1);
  note_ = noteLabel({}, page, "folderNote");
  box->addWidget(note_);
  filter_ = new QLineEdit(page);
  filter_->setObjectName(QStringLiteral("surveyFilter"));
  filter_->setPlaceholderText(tr("/  go to the largest entry whose name holds…"));
  filter_->setClearButtonEnabled(true);
  connect(filter_, &QLineEdit::textEdited, this, &SurveyStation::find);
  connect(filter_, &QLineEdit::returnPressed, this, [this] { tree_->setFocus(); });
  box->addWidget(filter_);
  auto* plan = new QShortcut(QKeySequence(Qt::Key_P), tree_, nullptr, nullptr, Qt::WidgetShortcut);
  auto* hold = new QShortcut(QKeySequence(Qt::Key_H), tree_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(plan, &QShortcut::activated, this, [this] { planCurrent(StepAction::discard); });
  connect(hold, &QShortcut::activated, this, [this] { planCurrent(StepAction::hold); });
  return page;
}

QWidget* SurveyStation::setupField() {
  auto* page = new QWidget(this);
  auto* box = new QVBoxLayout(page);
  box->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Age × size field"), page));
  head->addSpacing(10);
  head->addWidget(noteLabel(tr("a block's area is its bytes"), page));
  head->addStretch();
  auto* back = linkButton(tr("folders"), "showFolders", page);
  connect(back, &QPushButton::clicked, this, [this] { showField(false); });
  head->addWidget(back);
  box->addLayout(head);
  auto* row = new QHBoxLayout;
  grid_ = new AgeSizeGrid(page);
  row->addWidget(grid_, 3);
  auto* right = new QVBoxLayout;
  pickedNote_ = noteLabel({}, page, "pickedNote");
  pickedNote_->setWordWrap(true);
  right->addWidget(pickedNote_);
  picked_ = ledgerView("pickedFiles", page);
  pickedRows_ = new RowsModel({tr("file"), tr("occupied")}, {1}, this);
  picked_->setModel(pickedRows_);
  picked_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  picked_->setColumnWidth(1, 80);
  picked_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  right->addWidget(picked_, 1);
  auto* plan = button(tr("Plan the chosen files"), "planPicked", page);
  connect(plan, &QPushButton::clicked, this, [this] {
    for (const QModelIndex& index : picked_->selectionModel()->selectedRows())
      session_.pickPath(unescapePath(index.data(RowsModel::idRole).toString().toStdString()),
                        StepAction::discard);
  });
  right->addWidget(plan);
  row->addLayout(right, 2);
  box->addLayout(row, 1);
  connect(grid_, &AgeSizeGrid::pickChanged, this, &SurveyStation::fillPicked);
  return page;
}

void SurveyStation::refresh() {
  showPage(ready(), session_.work() == Session::Work::measuring
                        ? tr("Measuring. What is accounted for already shows in the Level.")
                        : tr("Nothing is measured yet. Choose a drive on the Bench and measure it."));
  if (!ready()) return;
  statement_->show(view());
  const auto count = view().survey->exceptions.size();
  exceptions_->setVisible(count > 0 && !fieldShown());
  exceptions_->setText(count == 1 ? tr("1 place could not be looked into…")
                                  : tr("%1 places could not be looked into…").arg(count));
  if (shown_ != view().survey) {
    shown_ = view().survey;
    folders_->show(view().survey, view().context, view().composition);
    tree_->expand(folders_->index(0, 0));
    tree_->setCurrentIndex(folders_->index(0, 0));
    updateLegend();
  }
  grid_->show(view());
  updateNote();
}

QString SurveyStation::figure() const {
  if (!ready()) return tr("not measured");
  const QString seen = tr("%1 seen").arg(Words::bytes(view().survey->tree.totals(0).occupied));
  return view().stale ? seen + tr(" · stale") : seen;
}

void SurveyStation::enter() {
  if (ready()) (fieldShown() ? static_cast<QWidget*>(grid_) : tree_)->setFocus();
}

void SurveyStation::startFilter() {
  showField(false);
  filter_->setFocus();
  filter_->selectAll();
}

void SurveyStation::showField(bool field) {
  faces_->setCurrentIndex(field ? 1 : 0);
  // The field needs the room; the statement is one key away.
  statement_->setVisible(!field);
  exceptions_->setVisible(!field && view().survey && !view().survey->exceptions.empty());
  enter();
}

bool SurveyStation::fieldShown() const {
  return faces_->currentIndex() == 1;
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
  for (int i = 0; i < lensParts; ++i)
    if (const QString name = folders_->composition()->partName(folders_->lens(), i); !name.isEmpty())
      names.append(name);
  legend_->setText(tr("ribbons, from the left: %1").arg(names.join(QStringLiteral(" · "))));
}

PathBytes SurveyStation::currentPath() const {
  const NodeId node = folders_->nodeAt(tree_->currentIndex());
  return view().survey && node != noNode ? view().survey->tree.path(node) : PathBytes{};
}

void SurveyStation::updateNote() {
  if (!view().survey || view().survey != shown_) return;
  const NodeId node = folders_->nodeAt(tree_->currentIndex());
  if (node == noNode) return note_->clear();
  const SurveyTree& t = view().survey->tree;
  const bool folder = t.isFolder(node);
  QString text = node == 0 ? QStringLiteral("/") : Words::path(t.path(node));
  text += QStringLiteral(" · ") + Words::standing(view().context->standing[node]);
  if (folder) text += tr(" · %1 files").arg(QLocale().toString(t.totals(node).files));
  text += tr(" · occupied %1").arg(Words::bytes(t.weight(node)));
  text += tr(" · exclusive %1")
              .arg(Words::bytes(folder             ? t.totals(node).exclusive
                                : t.isLinked(node) ? 0
                                                   : t.occupied(node)));
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

void SurveyStation::find(const QString& text) {
  if (!view().survey || text.isEmpty()) return;
  const SurveyTree& t = view().survey->tree;
  const std::string wanted = unescapePath(text.toStdString());
  NodeId best = noNode;
  for (NodeId id = 1; id < t.size(); ++id)
    if (t.name(id).find(wanted) != std::string_view::npos &&
        (best == noNode || t.weight(id) > t.weight(best)))
      best = id;
  if (best == noNode) return;
  const QModelIndex at = folders_->indexOf(best);
  tree_->setCurrentIndex(at);
  tree_->scrollTo(at, QAbstractItemView::PositionAtCenter);
}

void SurveyStation::showStanding(Standing standing) {
  if (!ready()) return;
  const FindContext& c = *view().context;
  NodeId best = noNode;
  for (NodeId id = 1; id < c.tree.size(); ++id) {
    const bool top = c.standing[id] == standing && c.standing[c.tree.parent(id)] != standing;
    if (top && (best == noNode || c.tree.weight(id) > c.tree.weight(best))) best = id;
  }
  if (best == noNode) return;
  showField(false);
  tree_->setCurrentIndex(folders_->indexOf(best));
  tree_->scrollTo(tree_->currentIndex(), QAbstractItemView::PositionAtCenter);
}

void SurveyStation::fillPicked() {
  pickedNote_->setText(grid_->pickedNote());
  QList<Row> rows;
  if (view().survey)
    for (const NodeId id : grid_->pickedFiles(500)) {
      const SurveyTree& t = view().survey->tree;
      const QString path = Words::path(t.path(id));
      rows.append(
          {path,
           static_cast<int>(stratumOf(view().context->standing[id])),
           false,
           false,
           {{path, path + QLatin1Char('\n') + Words::age(t.modified(id), view().survey->finished), false,
             false, false, false},
            {Words::bytes(t.occupied(id)), Words::exact(t.occupied(id)), false, false, false, true}}});
    }
  pickedRows_->setRows(rows);
}

void SurveyStation::planCurrent(StepAction action) {
  const PathBytes path = currentPath();
  if (!path.empty()) session_.pickPath(path, action);
}

void SurveyStation::contextMenu(const QPoint& at) {
  const PathBytes path = currentPath();
  if (path.empty()) return;
  const PathBytes whole = joinPath(view().survey->root, path);
  QMenu menu(this);
  menu.addAction(tr("Plan to discard\tP"), this, [this] { planCurrent(StepAction::discard); });
  menu.addAction(tr("Plan to hold\tH"), this, [this] { planCurrent(StepAction::hold); });
  menu.addSeparator();
  menu.addAction(tr("Copy the path"), this,
                 [whole] { QGuiApplication::clipboard()->setText(Words::path(whole)); });
  menu.addAction(tr("Open the file manager here"), this, [whole] {
    QDesktopServices::openUrl(
        QUrl::fromLocalFile(QFile::decodeName(QByteArray::fromStdString(std::string(parentPath(whole))))));
  });
  menu.exec(tree_->viewport()->mapToGlobal(at));
}

}  // namespace zt::desktop
