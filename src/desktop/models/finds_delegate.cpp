// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/finds_delegate.h"

#include <QPainter>

#include "desktop/charts/chart.h"
#include "desktop/models/finds_model.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

QSize FindsDelegate::sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const {
  const bool group = !index.parent().isValid();
  return {200, group ? 38 : 40};
}

void FindsDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                          const QModelIndex& index) const {
  painter->save();
  painter->setRenderHint(QPainter::Antialiasing);
  const QRectF r = option.rect;
  const bool group = !index.parent().isValid();
  const bool picked = (option.state & QStyle::State_Selected) != 0;
  if (picked) painter->fillRect(r, face().picked);
  const QString text = index.data(Qt::DisplayRole).toString();
  if (group) {
    if (index.column() == 0) {
      const QRectF box(r.left() + 2, r.top() + 12, 18, 18);
      fillStratum(*painter, box,
                  stratumOf(static_cast<Standing>(index.data(FindsModel::standingRole).toInt())));
      painter->setPen(QPen(face().line, 1));
      painter->drawRect(box);
    }
    const QRectF label = index.column() == 0 ? r.adjusted(30, 10, 0, 0) : r.adjusted(0, 10, -8, 0);
    drawText(*painter, label, index.column() == 0 ? Qt::AlignLeft : Qt::AlignRight, text,
             typeface(Type::strong), face().ink);
    painter->setPen(QPen(face().secondInk, 1));
    painter->drawLine(r.bottomLeft(), r.bottomRight());
  } else if (index.column() == 0) {
    constexpr double indent = 30;
    drawText(*painter, r.adjusted(indent, 3, -4, 0), Qt::AlignLeft, text, typeface(Type::body), face().ink);
    drawText(*painter, r.adjusted(indent, 21, -4, 0), Qt::AlignLeft,
             index.data(FindsModel::noteRole).toString(), typeface(Type::small), face().secondInk);
  } else {
    drawText(*painter, r.adjusted(0, 3, -8, 0), Qt::AlignRight, text, typeface(Type::body), face().ink);
    QFont bold = typeface(Type::small);
    bold.setBold(true);
    drawText(*painter, r.adjusted(0, 21, -8, 0), Qt::AlignRight, index.data(FindsModel::markRole).toString(),
             bold, face().ink);
  }
  if ((option.state & QStyle::State_HasFocus) != 0 && index.column() == 0) {
    painter->setPen(QPen(face().ink, 2));
    painter->drawLine(r.topLeft() + QPointF(1, 2), r.bottomLeft() + QPointF(1, -2));
  }
  painter->restore();
}

}  // namespace zt::desktop
