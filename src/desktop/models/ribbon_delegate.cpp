// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/ribbon_delegate.h"

#include <QPainter>

#include "desktop/models/folder_model.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

void RibbonDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                           const QModelIndex& index) const {
  LedgerDelegate::paint(painter, option, index);
  const double share = index.data(FolderModel::shareRole).toDouble();
  const QVariantList parts = index.data(FolderModel::partsRole).toList();
  double sum = 0;
  for (const auto& part : parts) sum += part.toDouble();
  const QRectF room = QRectF(option.rect).adjusted(2, 6, -10, -6);
  const QRectF ribbon(room.left(), room.top(), std::max(1.5, room.width() * share), room.height());
  double x = ribbon.left();
  for (qsizetype i = 0; i < parts.size() && sum > 0; ++i) {
    const double width = ribbon.width() * parts[i].toDouble() / sum;
    if (width >= 0.4)
      fillStratum(*painter, QRectF(x, ribbon.top(), width, ribbon.height()), static_cast<Stratum>(i));
    x += width;
  }
  painter->setPen(QPen(face().line, 0.8));
  painter->setBrush(Qt::NoBrush);
  painter->drawRect(ribbon);
}

}  // namespace zt::desktop
