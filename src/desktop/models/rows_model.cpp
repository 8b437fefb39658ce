// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/rows_model.h"

#include <QPainter>
#include <QPixmap>

#include "desktop/style/palette.h"

namespace zt::desktop {

RowsModel::RowsModel(QStringList heads, QList<int> rightAligned, QObject* parent)
    : QAbstractTableModel(parent), heads_(std::move(heads)), right_(std::move(rightAligned)) {}

void RowsModel::setRows(QList<Row> rows) {
  bool sameIds = rows.size() == rows_.size();
  for (qsizetype i = 0; sameIds && i < rows.size(); ++i) sameIds = rows[i].id == rows_[i].id;
  if (sameIds && !rows.isEmpty()) {
    rows_ = std::move(rows);
    Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, columnCount() - 1));
    return;
  }
  beginResetModel();
  rows_ = std::move(rows);
  endResetModel();
}

void RowsModel::setHeads(const QStringList& heads) {
  heads_ = heads;
  Q_EMIT headerDataChanged(Qt::Horizontal, 0, static_cast<int>(heads_.size()) - 1);
}

int RowsModel::rowOf(const QString& id) const {
  for (qsizetype i = 0; i < rows_.size(); ++i)
    if (rows_[i].id == id) return static_cast<int>(i);
  return -1;
}

namespace {
QPixmap textureBox(int stratum) {
  QPixmap box(28, 28);
  box.setDevicePixelRatio(2);
  box.fill(Qt::transparent);
  QPainter p(&box);
  fillStratum(p, QRectF(0, 0, 14, 14), static_cast<Stratum>(stratum));
  p.setPen(QPen(face().line, 1));
  p.drawRect(QRectF(0.5, 0.5, 13, 13));
  return box;
}
}  // namespace

QVariant RowsModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rows_.size()) return {};
  const Row& row = rows_[index.row()];
  if (role == idRole) return row.id;
  if (role == Qt::CheckStateRole && index.column() == 0 && row.checkable)
    return row.checked ? Qt::Checked : Qt::Unchecked;
  if (role == Qt::DecorationRole && index.column() == 0 && row.stratum >= 0) return textureBox(row.stratum);
  if (index.column() >= row.cells.size()) return {};
  const Cell& cell = row.cells[index.column()];
  switch (role) {
    case Qt::DisplayRole:
      return cell.text;
    case Qt::ToolTipRole:
      return cell.tip.isEmpty() ? cell.text : cell.tip;
    case Qt::FontRole:
      return typeface(cell.strong ? Type::strong : Type::body);
    case Qt::ForegroundRole:
      return cell.alarm ? face().red : cell.quiet ? face().secondInk : face().ink;
    case Qt::TextAlignmentRole:
      return right_.contains(index.column()) ? QVariant(Qt::AlignRight | Qt::AlignVCenter)
                                             : QVariant(Qt::AlignLeft | Qt::AlignVCenter);
    default:
      return {};
  }
}

bool RowsModel::setData(const QModelIndex& index, const QVariant& value, int role) {
  if (role != Qt::CheckStateRole || !index.isValid() || !rows_[index.row()].checkable) return false;
  const bool on = value.toInt() == Qt::Checked;
  rows_[index.row()].checked = on;
  Q_EMIT dataChanged(index, index, {role});
  Q_EMIT toggled(rows_[index.row()].id, on);
  return true;
}

Qt::ItemFlags RowsModel::flags(const QModelIndex& index) const {
  Qt::ItemFlags flags = QAbstractTableModel::flags(index);
  if (index.isValid() && index.column() == 0 && rows_[index.row()].checkable)
    flags |= Qt::ItemIsUserCheckable;
  return flags;
}

QVariant RowsModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  if (role == Qt::DisplayRole) return heads_.value(section);
  if (role == Qt::TextAlignmentRole)
    return right_.contains(section) ? QVariant(Qt::AlignRight | Qt::AlignVCenter)
                                    : QVariant(Qt::AlignLeft | Qt::AlignVCenter);
  return {};
}

}  // namespace zt::desktop
