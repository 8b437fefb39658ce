// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/change_model.h"

#include <QPainter>
#include <algorithm>

#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

namespace {
Bytes less(const ChangeRow& row) {
  return row.sums.went + row.sums.shrank;
}
Bytes more(const ChangeRow& row) {
  return row.sums.came + row.sums.grew;
}
}  // namespace

void ChangeModel::show(ComparedPtr compared) {
  beginResetModel();
  compared_ = std::move(compared);
  endResetModel();
}

QModelIndex ChangeModel::index(int row, int column, const QModelIndex& parent) const {
  if (!compared_ || row < 0 || row >= rowCount(parent)) return {};
  const std::uint32_t first =
      parent.isValid() ? rowAt(parent).firstChild : compared_->comparison.rows[0].firstChild;
  return createIndex(row, column, static_cast<quintptr>(first) + static_cast<quintptr>(row));
}

QModelIndex ChangeModel::parent(const QModelIndex& index) const {
  if (!index.isValid()) return {};
  const std::uint32_t above = rowAt(index).parent;
  if (above == 0) return {};
  const auto& rows = compared_->comparison.rows;
  return createIndex(static_cast<int>(above - rows[rows[above].parent].firstChild), 0,
                     static_cast<quintptr>(above));
}

int ChangeModel::rowCount(const QModelIndex& parent) const {
  if (!compared_ || parent.column() > 0) return 0;
  return static_cast<int>(parent.isValid() ? rowAt(parent).children : compared_->comparison.rows[0].children);
}

double ChangeModel::share(const ChangeRow& row, bool toMore) const {
  const auto& rows = compared_->comparison.rows;
  const ChangeRow& above = rows[row.parent];
  // The first of them changed most, but not to both sides.
  Bytes most = 1;
  for (std::uint32_t i = 0; i < std::min(above.children, 2000u); ++i) {
    const ChangeRow& one = rows[above.firstChild + i];
    most = std::max({most, less(one), more(one)});
  }
  return static_cast<double>(toMore ? more(row) : less(row)) / static_cast<double>(most);
}

QString ChangeModel::text(const ChangeRow& row, int column) const {
  switch (column) {
    case nameColumn: {
      const PathBytes path = pathOf(*compared_->was, *compared_->is, row);
      return say(&Words::path, PathBytes(path.substr(path.rfind('/') + 1)));
    }
    case changeColumn:
      if (row.moved != noNode) return row.is != noNode ? tr("moved here") : tr("moved away");
      return say(&Words::change, row.change);
    case deltaColumn:
      return (row.delta() > 0 ? QStringLiteral("+") : QString()) + say(&Words::signedBytes, row.delta());
    case beforeColumn:
      return row.was == noNode ? QStringLiteral("–") : say(&Words::bytes, row.before);
    case afterColumn:
      return row.is == noNode ? QStringLiteral("–") : say(&Words::bytes, row.after);
    default:
      return {};
  }
}

QString ChangeModel::tip(const ChangeRow& row) const {
  QString tip = say(&Words::path, pathOf(*compared_->was, *compared_->is, row));
  tip += tr("\ncame %1, went %2, grew %3, shrank %4")
             .arg(say(&Words::bytes, row.sums.came), say(&Words::bytes, row.sums.went),
                  say(&Words::bytes, row.sums.grew), say(&Words::bytes, row.sums.shrank));
  if (row.moved == noNode) return tip;
  const bool here = row.is != noNode;
  const QString place = say(&Words::path, (here ? compared_->was : compared_->is)->tree.path(row.moved));
  return tip + QLatin1Char('\n') + (here ? tr("was at %1").arg(place) : tr("is at %1 now").arg(place));
}

QVariant ChangeModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || !compared_) return {};
  const ChangeRow& row = rowAt(index);
  if (role == lessRole) return share(row, false);
  if (role == moreRole) return share(row, true);
  if (role == Qt::DisplayRole) return text(row, index.column());
  if (role == Qt::ToolTipRole) return tip(row);
  if (role == Qt::AccessibleTextRole && index.column() == ribbonColumn)
    return tr("%1 less, %2 more").arg(say(&Words::bytes, less(row)), say(&Words::bytes, more(row)));
  if (role == Qt::TextAlignmentRole && index.column() >= deltaColumn)
    return QVariant(Qt::AlignRight | Qt::AlignVCenter);
  if (role == Qt::FontRole && index.column() == deltaColumn) return typeface(Type::strong);
  return {};
}

QVariant ChangeModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  if (role == Qt::TextAlignmentRole && section >= deltaColumn)
    return QVariant(Qt::AlignRight | Qt::AlignVCenter);
  if (role != Qt::DisplayRole) return {};
  const QStringList names{
      tr("what"), tr("what became of it"), tr("less | more"), tr("difference"), tr("before"), tr("now")};
  return names.value(section);
}

void ChangeDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                           const QModelIndex& index) const {
  LedgerDelegate::paint(painter, option, index);
  const QRectF room = QRectF(option.rect).adjusted(4, 6, -8, -6);
  const double middle = room.center().x(), half = room.width() / 2;
  const auto bar = [&](double share, bool toMore) {
    const double width = share * half;
    if (width < 0.5) return;
    const QRectF side(toMore ? middle : middle - width, room.top(), width, room.height());
    // Told apart without colour: what went is an outline, what came is filled.
    if (toMore) fillStratum(*painter, side, Stratum::unjudged);
    painter->setPen(QPen(face().line, 0.8));
    painter->setBrush(toMore ? Qt::NoBrush : QBrush(face().paper));
    painter->drawRect(side);
  };
  painter->save();
  bar(index.data(ChangeModel::lessRole).toDouble(), false);
  bar(index.data(ChangeModel::moreRole).toDouble(), true);
  painter->setPen(QPen(face().ink, 1));
  painter->drawLine(QPointF(middle, room.top() - 3), QPointF(middle, room.bottom() + 3));
  painter->restore();
}

}  // namespace zt::desktop
