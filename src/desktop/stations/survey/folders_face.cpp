// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/survey/folders_face.h"

#include <QtWidgets>

#include "desktop/models/ribbon_delegate.h"
#include "desktop/stations/station.h"
#include "desktop/style/look.h"

namespace zt::desktop {

FoldersFace::FoldersFace(QWidget* parent) : QWidget(parent) {
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  box->addLayout(setupHead());
  legend_ = new LegendStrip(this);
  box->addWidget(legend_);
  setupTree();
  box->addWidget(tree_, 1);
  note_ = noteLabel({}, this, "folderNote");
  box->addWidget(note_);
  connect(&engine_, &ListEngine::summed, this, &FoldersFace::showSums);
}

QLayout* FoldersFace::setupHead() {
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Folders"), this));
  head->addSpacing(24);
  lenses_ = new QButtonGroup(this);
  const QStringList names{tr("standing"), tr("age"), tr("kind"), tr("owner")};
  for (int i = 0; i < lenses; ++i) {
    auto* b = linkButton(names[i], QByteArray("lens" + QByteArray::number(i)).constData(), this);
    b->setCheckable(true);
    b->setToolTip(tr("What the ribbons are made of: %1").arg(names[i]));
    lenses_->addButton(b, i);
    head->addWidget(b);
    head->addSpacing(14);
  }
  lenses_->button(0)->setChecked(true);
  connect(lenses_, &QButtonGroup::idClicked, this, [this](int lens) {
    folders_->setLens(static_cast<Lens>(lens));
    tree_->viewport()->update();
    updateLegend();
  });
  head->addStretch();
  auto* field = linkButton(tr("age × size field"), "showField", this);
  connect(field, &QPushButton::clicked, this, &FoldersFace::fieldWanted);
  head->addWidget(field);
  return head;
}

void FoldersFace::setupTree() {
  tree_ = ledgerView("folders", tr("Folders"), this);
  tree_->setProperty("word", QStringLiteral("occupied"));
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
  tree_->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(tree_, &QTreeView::activated, this, [this](const QModelIndex& index) {
    if (folders_->isRest(index) && treeShown() != nullptr)
      Q_EMIT restWanted(treeShown()->path(folders_->nodeAt(index)));
  });
  connect(tree_, &QTreeView::customContextMenuRequested, this,
          [this](const QPoint& at) { Q_EMIT menuWanted(tree_->viewport()->mapToGlobal(at)); });
  connect(tree_->selectionModel(), &QItemSelectionModel::selectionChanged, this, &FoldersFace::updateNote);
  connect(tree_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, &FoldersFace::updateNote);
}

const SurveyTree* FoldersFace::treeShown() const {
  return live_ ? &live_->tree() : survey_ ? &survey_->tree : nullptr;
}

/// Which folders are open, and where the cursor is.
void FoldersFace::remember() {
  const SurveyTree* t = treeShown();
  if (t == nullptr) return;
  openPaths_.clear();
  std::vector<QModelIndex> open{folders_->index(0, 0)};
  while (!open.empty()) {
    const QModelIndex at = open.back();
    open.pop_back();
    if (!at.isValid() || !tree_->isExpanded(at)) continue;
    openPaths_.push_back(t->path(folders_->nodeAt(at)));
    for (int row = 0; row < folders_->rowCount(at); ++row) open.push_back(folders_->index(row, 0, at));
  }
  cursor_ = currentPath().value_or(PathBytes{});
}

void FoldersFace::show(const JobView& view) {
  if (survey_ != view.survey || live_) showSurvey(view);
  updateNote();
}

void FoldersFace::showSurvey(const JobView& view) {
  remember();
  live_.reset();
  survey_ = view.survey;
  context_ = view.context;
  composition_ = view.composition;
  folders_->show(survey_, context_, composition_);
  if (!survey_) return;
  tree_->expand(folders_->index(0, 0));
  for (const PathBytes& path : openPaths_)
    if (const auto node = survey_->tree.find(path)) tree_->expand(folders_->indexOf(*node));
  goTo(cursor_);
  updateLegend();
}

void FoldersFace::showLive(const std::shared_ptr<const LiveSurvey>& live) {
  if (!live_) {
    remember();
    legend_->say(tr("so far, by name; sorted by size when all is counted"));
  }
  live_ = live;
  survey_.reset();
  context_.reset();
  composition_.reset();
  folders_->showLive(live_);
  tree_->expand(folders_->index(0, 0));
  note_->setText(tr("counted so far: %1").arg(say(&Words::bytes, live_->occupied(0))));
}

void FoldersFace::goTo(const PathBytes& path) {
  if (survey_) chooseRow(tree_, folders_->indexOf(survey_->tree.find(path).value_or(0)));
}

void FoldersFace::goTo(Standing standing) {
  if (!composition_) return;
  if (const NodeId best = composition_->largestOf(standing); best != noNode)
    chooseRow(tree_, folders_->indexOf(best));
}

void FoldersFace::setColumnShown(FolderModel::Column column, bool shown) {
  tree_->setColumnHidden(column, !shown);
}

bool FoldersFace::columnShown(FolderModel::Column column) const {
  return !tree_->isColumnHidden(column);
}

void FoldersFace::setRibbonWidth(int width) {
  tree_->setColumnWidth(FolderModel::madeOfColumn, width);
}

std::optional<PathBytes> FoldersFace::currentPath() const {
  const NodeId node = folders_->nodeAt(tree_->currentIndex());
  if (treeShown() == nullptr || node == noNode) return std::nullopt;
  return treeShown()->path(node);
}

std::vector<NodeId> FoldersFace::picked() const {
  std::vector<NodeId> nodes;
  for (const QModelIndex& index : tree_->selectionModel()->selectedRows())
    if (!folders_->isRest(index)) nodes.push_back(folders_->nodeAt(index));
  return nodes;
}

std::vector<PathBytes> FoldersFace::chosenPaths() const {
  std::vector<PathBytes> paths;
  if (survey_)
    for (const NodeId node : picked()) paths.push_back(survey_->tree.path(node));
  return paths;
}

void FoldersFace::updateLegend() {
  if (!composition_) return;
  QStringList names;
  for (int i = 0; i < lensParts; ++i) names.append(composition_->partName(folders_->lens(), i));
  legend_->show(names);
}

void FoldersFace::updateNote() {
  if (!survey_ || live_) return;
  if (auto nodes = picked(); nodes.size() > 1) {
    engine_.sum(context_, std::make_shared<const std::vector<NodeId>>(std::move(nodes)));
    return;
  }
  const SurveyTree& t = survey_->tree;
  const NodeId node = folders_->nodeAt(tree_->currentIndex());
  if (node == noNode) return note_->clear();
  QString text = say(&Words::path, t.path(node));
  text += QStringLiteral(" · ") + say(&Words::standing, context_->standing[node]);
  if (t.isFolder(node)) text += QStringLiteral(" · ") + say(&Words::files, t.totals(node).files);
  text += tr(" · occupied %1").arg(say(&Words::bytes, t.weight(node)));
  text += tr(" · exclusive %1").arg(say(&Words::bytes, columnValue(*context_, node, ListColumn::exclusive)));
  tell(text);
}

void FoldersFace::showSums(const ListSums& sums) {
  if (sums.entries < 2 || sums.entries != picked().size()) return;
  QString text = tr("%1 picked · occupied together %2 · freed if all of them go %3")
                     .arg(say(&Words::number, sums.entries), say(&Words::bytes, sums.occupied),
                          say(&Words::bytes, sums.freed.atMost));
  if (sums.freed.sure < sums.freed.atMost) text += tr(" (sure: %1)").arg(say(&Words::bytes, sums.freed.sure));
  tell(text);
}

void FoldersFace::tell(const QString& text) {
  note_->setText(note_->fontMetrics().elidedText(text, Qt::ElideMiddle, std::max(200, width() - 8)));
  note_->setToolTip(text);
}

}  // namespace zt::desktop
