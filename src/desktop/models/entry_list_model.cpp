// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/entry_list_model.h"

#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

void EntryListModel::show(std::shared_ptr<const ListAnswer> answer) {
  const bool sameRows = answer_ && answer && answer_->context == answer->context &&
                        answer_->rows.size() == answer->rows.size() && answer_->inOrder < answer->inOrder;
  if (sameRows) {
    answer_ = std::move(answer);
    if (rowCount() > 0) Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, listColumns - 1));
    return;
  }
  beginResetModel();
  answer_ = std::move(answer);
  endResetModel();
}

NodeId EntryListModel::nodeAt(int row) const {
  if (!answer_ || row < 0 || row >= rowCount()) return noNode;
  return answer_->rows[static_cast<std::size_t>(row)];
}

int EntryListModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() || !answer_
             ? 0
             : static_cast<int>(std::min<std::size_t>(answer_->rows.size(), INT_MAX));
}

QString EntryListModel::columnName(ListColumn column) {
  switch (column) {
    case ListColumn::name:
      return tr("name");
    case ListColumn::occupied:
      return tr("occupied");
    case ListColumn::length:
      return tr("length");
    case ListColumn::exclusive:
      return tr("exclusive");
    case ListColumn::files:
      return tr("files");
    case ListColumn::newest:
      return tr("newest");
    case ListColumn::kind:
      return tr("kind");
    case ListColumn::owner:
      return tr("owner");
  }
  return {};
}

QString EntryListModel::text(NodeId node, ListColumn column) const {
  const FindContext& c = *answer_->context;
  const bool folder = c.tree.isFolder(node);
  switch (column) {
    case ListColumn::name: {
      const PathBytes path = c.tree.path(node);
      const QString own = say(&Words::path, baseName(path)) + (folder ? QStringLiteral("/") : QString());
      return parentPath(path).empty() ? own
                                      : own + QStringLiteral("   ") + say(&Words::path, parentPath(path));
    }
    case ListColumn::newest:
      return say(&Words::age, folder ? c.tree.totals(node).newest : c.tree.modified(node), c.survey.finished);
    case ListColumn::kind:
      return folder ? tr("folder") : say(&Words::fileKind, c.kind[node]);
    case ListColumn::owner:
      return say(&Words::owner, c, c.tree.owner(node));
    case ListColumn::files:
      return folder ? QLocale().toString(c.tree.totals(node).files) : QString();
    default:
      return say(&Words::bytes, columnValue(c, node, column));
  }
}

QVariant EntryListModel::data(const QModelIndex& index, int role) const {
  const NodeId node = index.isValid() ? nodeAt(index.row()) : noNode;
  if (node == noNode) return {};
  const auto column = static_cast<ListColumn>(index.column());
  const bool right = column >= ListColumn::occupied && column <= ListColumn::newest;
  switch (role) {
    case Qt::DisplayRole:
      return text(node, column);
    case Qt::TextAlignmentRole:
      return right ? QVariant(Qt::AlignRight | Qt::AlignVCenter) : QVariant();
    case Qt::ToolTipRole:
      return say(&Words::path, answer_->context->tree.path(node)) + QLatin1Char('\n') +
             say(&Words::exact, answer_->context->tree.weight(node));
    case Qt::ForegroundRole:
      return column >= ListColumn::newest ? QVariant(face().secondInk) : QVariant();
    default:
      return {};
  }
}

QVariant EntryListModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  const auto column = static_cast<ListColumn>(section);
  if (role == Qt::DisplayRole) return columnName(column);
  if (role == Qt::TextAlignmentRole)
    return column >= ListColumn::occupied && column <= ListColumn::newest
               ? QVariant(Qt::AlignRight | Qt::AlignVCenter)
               : QVariant(Qt::AlignLeft | Qt::AlignVCenter);
  return {};
}

void EntryListModel::sort(int column, Qt::SortOrder order) {
  if (column >= 0 && column < listColumns)
    Q_EMIT sortWanted(static_cast<ListColumn>(column), order == Qt::DescendingOrder);
}

}  // namespace zt::desktop
