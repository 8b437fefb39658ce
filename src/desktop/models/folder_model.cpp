// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/folder_model.h"

#include <algorithm>

#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

void FolderModel::show(SurveyPtr survey, ContextPtr context, std::shared_ptr<const Composition> composition) {
  if (survey == survey_ && !live_) return;
  beginResetModel();
  live_.reset();
  survey_ = std::move(survey);
  context_ = std::move(context);
  composition_ = std::move(composition);
  children_.clear();
  rows_.clear();
  endResetModel();
}

void FolderModel::showLive(std::shared_ptr<const LiveSurvey> live) {
  if (live != live_) {
    beginResetModel();
    live_ = std::move(live);
    survey_.reset();
    context_.reset();
    composition_.reset();
    children_.clear();
    rows_.clear();
    endResetModel();
    return;
  }
  if (canFetchMore(index(0, 0))) fetchMore(index(0, 0));
  Q_EMIT dataChanged(index(0, 0), index(0, columns - 1));
  for (const auto& [folder, list] : children_) {
    if (list.empty()) continue;
    const QModelIndex at = indexOf(folder);
    Q_EMIT dataChanged(index(0, madeOfColumn, at),
                       index(static_cast<int>(list.size()) - 1, occupiedColumn, at));
  }
}

void FolderModel::setLens(Lens lens) {
  lens_ = lens;
  if (!empty()) Q_EMIT dataChanged(index(0, madeOfColumn), index(0, madeOfColumn));
}

Bytes FolderModel::weight(NodeId node) const {
  if (!live_) return survey_->tree.weight(node);
  return tree().isFolder(node) ? live_->occupied(node) : tree().occupied(node);
}

/// While it grows: by name, as it will stay. Afterwards by the chosen column.
std::vector<NodeId> FolderModel::sortedChildren(NodeId folder) const {
  const SurveyTree& t = tree();
  std::vector<NodeId> list;
  if (live_) {
    const GrowingFolder g = t.growing(t.folderIndex(folder));
    for (NodeId i = 0; i < std::min<NodeId>(g.children, outlineRows); ++i) list.push_back(g.firstChild + i);
    std::sort(list.begin(), list.end(), [&](NodeId a, NodeId b) { return t.name(a) < t.name(b); });
    return list;
  }
  if (const auto* largest = composition_->largestOf(folder)) {
    list = *largest;
  } else {
    const FolderTotals& totals = t.totals(folder);
    for (NodeId i = 0; i < totals.children; ++i) list.push_back(totals.firstChild + i);
  }
  static constexpr ListColumn byColumn[columns] = {
      ListColumn::name,      ListColumn::occupied, ListColumn::occupied, ListColumn::length,
      ListColumn::exclusive, ListColumn::files,    ListColumn::newest};
  sortList(*context_, list, byColumn[sortColumn_], descending_, list.size());
  return list;
}

const std::vector<NodeId>& FolderModel::children(NodeId folder) const {
  const auto known = children_.find(folder);
  if (known != children_.end()) return known->second;
  std::vector<NodeId> list = sortedChildren(folder);
  for (std::size_t i = 0; i < list.size(); ++i) rows_[list[i]] = static_cast<int>(i);
  return children_.emplace(folder, std::move(list)).first->second;
}

bool FolderModel::hasRest(NodeId folder) const {
  return !live_ && survey_->tree.totals(folder).children > outlineRows;
}

Bytes FolderModel::restOf(NodeId folder) const {
  Bytes shown = survey_->tree.occupied(folder);
  for (const NodeId id : children(folder)) shown += survey_->tree.weight(id);
  const Bytes all = survey_->tree.totals(folder).occupied;
  return all > shown ? all - shown : 0;
}

QModelIndex FolderModel::index(int row, int column, const QModelIndex& parent) const {
  if (empty() || row < 0 || column < 0 || column >= columns) return {};
  if (!parent.isValid()) return row == 0 ? createIndex(0, column, quintptr{0}) : QModelIndex();
  const NodeId folder = nodeAt(parent);
  if (isRest(parent) || !tree().isFolder(folder) || row >= rowCount(parent.siblingAtColumn(0))) return {};
  const auto& list = children(folder);
  if (row == static_cast<int>(list.size())) return createIndex(row, column, quintptr{folder} | restBit);
  return createIndex(row, column, quintptr{list[static_cast<std::size_t>(row)]});
}

QModelIndex FolderModel::parent(const QModelIndex& index) const {
  const NodeId node = nodeAt(index);
  if (empty() || node == noNode || (node == 0 && !isRest(index))) return {};
  const NodeId up = isRest(index) ? node : tree().parent(node);
  if (up != 0) children(tree().parent(up));
  return createIndex(up == 0 ? 0 : rows_.at(up), 0, quintptr{up});
}

QModelIndex FolderModel::indexOf(NodeId node) {
  if (empty() || node == noNode) return {};
  if (node == 0) return index(0, 0);
  const NodeId folder = tree().parent(node);
  const auto& list = children(folder);
  const auto row = rows_.find(node);
  if (row != rows_.end()) return createIndex(row->second, 0, quintptr{node});
  return createIndex(static_cast<int>(list.size()), 0, quintptr{folder} | restBit);
}

int FolderModel::rowCount(const QModelIndex& parent) const {
  if (empty() || parent.column() > 0 || isRest(parent)) return 0;
  if (!parent.isValid()) return 1;
  const NodeId node = nodeAt(parent);
  if (!tree().isFolder(node)) return 0;
  if (live_) {
    const auto known = children_.find(node);
    return known == children_.end() ? 0 : static_cast<int>(known->second.size());
  }
  const NodeId all = survey_->tree.totals(node).children;
  return all > outlineRows ? outlineRows + 1 : static_cast<int>(all);
}

bool FolderModel::hasChildren(const QModelIndex& parent) const {
  if (!live_ || !parent.isValid()) return rowCount(parent) > 0;
  const NodeId node = nodeAt(parent);
  return tree().isFolder(node) && tree().growing(tree().folderIndex(node)).children > 0;
}

bool FolderModel::canFetchMore(const QModelIndex& parent) const {
  return live_ && parent.isValid() && hasChildren(parent) &&
         children_.find(nodeAt(parent)) == children_.end();
}

void FolderModel::fetchMore(const QModelIndex& parent) {
  if (!canFetchMore(parent)) return;
  const NodeId folder = nodeAt(parent);
  std::vector<NodeId> list = sortedChildren(folder);
  beginInsertRows(parent, 0, static_cast<int>(list.size()) - 1);
  for (std::size_t i = 0; i < list.size(); ++i) rows_[list[i]] = static_cast<int>(i);
  children_.emplace(folder, std::move(list));
  endInsertRows();
}

void FolderModel::sort(int column, Qt::SortOrder order) {
  sortColumn_ = column;
  descending_ = order == Qt::DescendingOrder;
  if (!survey_ || live_) return;
  Q_EMIT layoutAboutToBeChanged();
  const QModelIndexList before = persistentIndexList();
  std::vector<NodeId> folders;
  for (const auto& [folder, list] : children_) folders.push_back(folder);
  children_.clear();
  rows_.clear();
  for (const NodeId folder : folders) children(folder);
  for (const QModelIndex& old : before) {
    const QModelIndex fresh = isRest(old) ? old : indexOf(nodeAt(old));
    changePersistentIndex(old, fresh.siblingAtColumn(old.column()));
  }
  Q_EMIT layoutChanged();
}

QVariant FolderModel::text(NodeId node, int column) const {
  const SurveyTree& t = tree();
  const bool folder = t.isFolder(node);
  if (live_ && column > occupiedColumn) return {};
  switch (column) {
    case nameColumn:
      if (node != 0) return say(&Words::path, t.name(node));
      return live_ || survey_->standIn ? QStringLiteral("/") : say(&Words::path, survey_->root);
    case occupiedColumn:
      return say(&Words::bytes, weight(node));
    case lengthColumn:
      return say(&Words::bytes, folder ? t.totals(node).length : t.length(node));
    case exclusiveColumn:
      return say(&Words::bytes, columnValue(*context_, node, ListColumn::exclusive));
    case filesColumn:
      return folder ? QLocale().toString(t.totals(node).files) : QString();
    case newestColumn:
      return say(&Words::age, folder ? t.totals(node).newest : t.modified(node), survey_->finished);
    default:
      return {};
  }
}

QVariant FolderModel::restData(NodeId folder, int column, int role) const {
  if (role == Qt::TextAlignmentRole && column >= occupiedColumn)
    return QVariant(Qt::AlignRight | Qt::AlignVCenter);
  if (role == Qt::ForegroundRole) return face().secondInk;
  if (role == shareRole) return 0.0;
  if (role == partsRole) return QVariantList{};
  if (role != Qt::DisplayRole) return {};
  if (column == nameColumn)
    return tr("%1 smaller entries: Enter lists them")
        .arg(QLocale().toString(survey_->tree.totals(folder).children - outlineRows));
  return column == occupiedColumn ? QVariant(say(&Words::bytes, restOf(folder))) : QVariant();
}

QVariant FolderModel::data(const QModelIndex& index, int role) const {
  const NodeId node = nodeAt(index);
  if (empty() || node == noNode) return {};
  if (isRest(index)) return restData(node, index.column(), role);
  const SurveyTree& t = tree();
  switch (role) {
    case Qt::DisplayRole:
      return text(node, index.column());
    case Qt::TextAlignmentRole:
      return index.column() >= occupiedColumn ? QVariant(Qt::AlignRight | Qt::AlignVCenter) : QVariant();
    case Qt::ToolTipRole:
      return say(&Words::path, t.path(node)) + QLatin1Char('\n') + say(&Words::exact, weight(node));
    case Qt::FontRole:
      return t.isFolder(node) && index.column() == nameColumn ? QVariant(typeface(Type::strong)) : QVariant();
    case Qt::ForegroundRole:
      return index.column() >= filesColumn ? QVariant(face().secondInk) : QVariant();
    case shareRole: {
      const Bytes above = weight(node == 0 ? 0 : t.parent(node));
      return above == 0 ? 0.0 : std::min(1.0, static_cast<double>(weight(node)) / static_cast<double>(above));
    }
    case partsRole: {
      QVariantList parts;
      // Nobody has judged yet what is still being counted.
      if (live_) return QVariantList{0, 0, static_cast<qulonglong>(weight(node))};
      for (const Bytes b : composition_->parts(lens_, node)) parts.append(static_cast<qulonglong>(b));
      return parts;
    }
    default:
      return {};
  }
}

QVariant FolderModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  if (role == Qt::TextAlignmentRole)
    return section >= occupiedColumn ? QVariant(Qt::AlignRight | Qt::AlignVCenter)
                                     : QVariant(Qt::AlignLeft | Qt::AlignVCenter);
  if (role != Qt::DisplayRole) return {};
  switch (section) {
    case nameColumn:
      return tr("name");
    case madeOfColumn:
      return tr("made of");
    case occupiedColumn:
      return tr("occupied");
    case lengthColumn:
      return tr("length");
    case exclusiveColumn:
      return tr("exclusive");
    case filesColumn:
      return tr("files");
    case newestColumn:
      return tr("newest");
    default:
      return {};
  }
}

}  // namespace zt::desktop
