// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/ledger_delegate.h"

#include <QPainter>
#include <QTableView>

#include "desktop/style/palette.h"

namespace zt::desktop {

namespace {
constexpr int textMargin = 8;

/// Takes out of the middle what cannot have room in so many pixels, so that it need not be laid out first.
QString roughlyCut(const QString& text, int pixels) {
  const qsizetype half = pixels / 6 + 4;  // letters are wider than three pixels
  if (text.size() <= 2 * half + 2) return text;
  const qsizetype end = text[half].isLowSurrogate() ? half - 1 : half;
  const qsizetype begin =
      text[text.size() - half].isLowSurrogate() ? text.size() - half + 1 : text.size() - half;
  return text.left(end) + QChar(0x2026) + text.mid(begin);
}
}  // namespace

void LedgerDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                           const QModelIndex& index) const {
  // A table never shows half a row at its foot; a tree takes care of that itself.
  if (const auto* table = qobject_cast<const QTableView*>(option.widget))
    if (option.rect.bottom() >= table->viewport()->height() && option.rect.top() > 0) return;
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
  painter.drawText(room, align | Qt::TextSingleLine,
                   metrics.elidedText(roughlyCut(text, room.width()), option.textElideMode, room.width()));
}

QSize LedgerDelegate::sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const {
  const QSize size = QStyledItemDelegate::sizeHint(option, index);
  return {size.width() + 10, std::max(size.height(), 23)};
}

}  // namespace zt::desktop
