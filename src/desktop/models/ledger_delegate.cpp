// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/ledger_delegate.h"

#include <QPainter>

#include "desktop/style/palette.h"

namespace zt::desktop {

namespace {
constexpr int textMargin = 8;
}

void LedgerDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                           const QModelIndex& index) const {
  if ((option.state & QStyle::State_Selected) != 0) painter->fillRect(option.rect, face().picked);
  if ((option.state & QStyle::State_HasFocus) != 0 && index.column() == 0)
    painter->fillRect(QRect(option.rect.left(), option.rect.top() + 2, 2, option.rect.height() - 4),
                      face().ink);
  const bool onlyText =
      !index.data(Qt::CheckStateRole).isValid() && !index.data(Qt::DecorationRole).isValid();
  if (onlyText) return paintText(*painter, option, index);
  QStyleOptionViewItem flat = option;
  flat.state &= ~(QStyle::State_Selected | QStyle::State_HasFocus | QStyle::State_MouseOver);
  flat.rect.adjust(5, 0, -5, 0);
  QStyledItemDelegate::paint(painter, flat, index);
}

/// What most cells are. The style would lay the text out four times over, and ask its sheet for every cell.
void LedgerDelegate::paintText(QPainter& painter, const QStyleOptionViewItem& option,
                               const QModelIndex& index) {
  const QString text = index.data(Qt::DisplayRole).toString();
  if (text.isEmpty()) return;
  const QVariant font = index.data(Qt::FontRole);
  const QVariant ink = index.data(Qt::ForegroundRole);
  const QVariant alignment = index.data(Qt::TextAlignmentRole);
  painter.setFont(font.isValid() ? font.value<QFont>() : option.font);
  painter.setPen(ink.isValid() ? ink.value<QColor>() : option.palette.color(QPalette::Text));
  const int align = alignment.isValid() ? alignment.toInt() : Qt::AlignLeft | Qt::AlignVCenter;
  const QRect room = option.rect.adjusted(textMargin, 0, -textMargin, 0);
  const QFontMetrics metrics(painter.font());
  const QString fitted = metrics.horizontalAdvance(text) <= room.width()
                             ? text
                             : metrics.elidedText(text, option.textElideMode, room.width());
  painter.drawText(room, align | Qt::TextSingleLine, fitted);
}

QSize LedgerDelegate::sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const {
  const QSize size = QStyledItemDelegate::sizeHint(option, index);
  return {size.width() + 10, std::max(size.height(), 23)};
}

}  // namespace zt::desktop
