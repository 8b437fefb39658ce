// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/folder_model.h"

#include <algorithm>

#include "desktop/style/palette.h"
#include "desktop/style/words.h"

namespace zt::desktop {

void FolderModel::show(SurveyPtr survey, std::shared_ptr<const FindContext> context,
                       std::shared_ptr<const Composition> composition) {
  if (survey == survey_) return;
  beginResetModel();
  survey_ = std::move(survey);
  context_ = std::move(context);
  composition_ = std::move(composition);
  children_.clear();
  rows_.clear();
  endResetModel();
}

void FolderModel::setLens(Lens lens) {
  lens_ = lens;
  if (survey_) Q_EMIT dataChanged(index(0, madeOfColumn), index(0, madeOfColumn));
}

const std::vector<NodeId>& FolderModel::children(NodeId folder) const {
  const auto known = children_.find(folder);
  if (known != children_.end()) return known->second;
  const SurveyTree& t = survey_->tree;
  const FolderTotals& totals = t.totals(folder);
  std::vector<NodeId> list;
  for (NodeId id = totals.firstChild; totals.children > 0 && id < totals.firstChild + totals.children; ++id)
    list.push_back(id);
  std::stable_sort(list.begin(), list.end(), [&](NodeId a, NodeId b) { return t.weight(a) > t.weight(b); });
  for (std::size_t i = 0; i < list.size(); ++i) rows_[list[i]] = static_cast<int>(i);
  return children_.emplace(folder, std::move(list)).first->second;
}

QModelIndex FolderModel::index(int row, int column, const QModelIndex& parent) const {
  if (!survey_ || row < 0 || column < 0 || column >= columns) return {};
  if (!parent.isValid()) return row == 0 ? createIndex(0, column, quintptr{0}) : QModelIndex();
  const NodeId folder = nodeAt(parent);
  if (!survey_->tree.isFolder(folder)) return {};
  const auto& list = children(folder);
  if (row >= static_cast<int>(list.size())) return {};
  return createIndex(row, column, quintptr{list[static_cast<std::size_t>(row)]});
}

QModelIndex FolderModel::parent(const QModelIndex& index) const {
  const NodeId node = nodeAt(index);
  if (!survey_ || node == noNode || node == 0) return {};
  const NodeId up = survey_->tree.parent(node);
  if (up != 0) children(survey_->tree.parent(up));
  return createIndex(up == 0 ? 0 : rows_.at(up), 0, quintptr{up});
}

QModelIndex FolderModel::indexOf(NodeId node) {
  if (!survey_ || node == noNode) return {};
  if (node == 0) return index(0, 0);
  children(survey_->tree.parent(node));
  return createIndex(rows_.at(node), 0, quintptr{node});
}

int FolderModel::rowCount(const QModelIndex& parent) const {
  if (!survey_ || parent.column() > 0) return 0;
  if (!parent.isValid()) return 1;
  const NodeId node = nodeAt(parent);
  return survey_->tree.isFolder(node) ? static_cast<int>(survey_->tree.totals(node).children) : 0;
}

bool FolderModel::hasChildren(const QModelIndex& parent) const {
  return rowCount(parent) > 0;
}

QVariant FolderModel::text(NodeId node, int column) const {
  const SurveyTree& t = survey_->tree;
  const bool folder = t.isFolder(node);
  switch (column) {
    case nameColumn:
      return node == 0 ? Words::path(survey_->standIn ? "/" : survey_->root) : Words::path(t.name(node));
    case occupiedColumn:
      return Words::bytes(t.weight(node));
    case lengthColumn:
      return Words::bytes(folder ? t.totals(node).length : t.length(node));
    case exclusiveColumn:
      return Words::bytes(folder ? t.totals(node).exclusive : t.isLinked(node) ? 0 : t.occupied(node));
    case newestColumn:
      return Words::age(folder ? t.totals(node).newest : t.modified(node), survey_->finished);
    default:
      return {};
  }
}

QVariant FolderModel::data(const QModelIndex& index, int role) const {
  const NodeId node = nodeAt(index);
  if (!survey_ || node == noNode) return {};
  const SurveyTree& t = survey_->tree;
  switch (role) {
    case Qt::DisplayRole:
      return text(node, index.column());
    case Qt::TextAlignmentRole:
      return index.column() >= occupiedColumn ? QVariant(Qt::AlignRight | Qt::AlignVCenter) : QVariant();
    case Qt::ToolTipRole:
      return Words::path(t.path(node)) + QLatin1Char('\n') + Words::exact(t.weight(node));
    case Qt::FontRole:
      return t.isFolder(node) && index.column() == nameColumn ? QVariant(typeface(Type::strong)) : QVariant();
    case Qt::ForegroundRole:
      return index.column() == newestColumn ? QVariant(face().secondInk) : QVariant();
    case nodeRole:
      return node;
    case shareRole: {
      const Bytes above = t.weight(node == 0 ? 0 : t.parent(node));
      return above == 0 ? 0.0
                        : std::min(1.0, static_cast<double>(t.weight(node)) / static_cast<double>(above));
    }
    case partsRole: {
      QVariantList parts;
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
    case newestColumn:
      return tr("newest");
    default:
      return {};
  }
}

}  // namespace zt::desktop
