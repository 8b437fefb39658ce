// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/ledger_delegate.h"

#include <QPainter>

#include "desktop/style/palette.h"

namespace zt::desktop {

void LedgerDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                           const QModelIndex& index) const {
  if ((option.state & QStyle::State_Selected) != 0) painter->fillRect(option.rect, face().picked);
  if ((option.state & QStyle::State_HasFocus) != 0 && index.column() == 0)
    painter->fillRect(QRect(option.rect.left(), option.rect.top() + 2, 2, option.rect.height() - 4),
                      face().ink);
  QStyleOptionViewItem flat = option;
  flat.state &= ~(QStyle::State_Selected | QStyle::State_HasFocus | QStyle::State_MouseOver);
  flat.rect.adjust(5, 0, -5, 0);
  QStyledItemDelegate::paint(painter, flat, index);
}

QSize LedgerDelegate::sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const {
  const QSize size = QStyledItemDelegate::sizeHint(option, index);
  return {size.width() + 10, std::max(size.height(), 23)};
}

}  // namespace zt::desktop
