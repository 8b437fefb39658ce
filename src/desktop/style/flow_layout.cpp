// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/style/flow_layout.h"

#include <QStyle>
#include <QWidget>

namespace zt::desktop {

FlowLayout::~FlowLayout() {
  qDeleteAll(items_);
}

QLayoutItem* FlowLayout::takeAt(int index) {
  return index >= 0 && index < items_.size() ? items_.takeAt(index) : nullptr;
}

QSize FlowLayout::sizeHint() const {
  QSize all(0, 0);
  for (const QLayoutItem* item : items_) {
    all.rwidth() += item->sizeHint().width() + apart_;
    all.setHeight(std::max(all.height(), item->sizeHint().height()));
  }
  return all;
}

QSize FlowLayout::minimumSize() const {
  QSize most(0, 0);
  for (const QLayoutItem* item : items_) most = most.expandedTo(item->minimumSize());
  return most;
}

void FlowLayout::setGeometry(const QRect& rect) {
  QLayout::setGeometry(rect);
  arrange(rect, true);
}

int FlowLayout::arrange(const QRect& rect, bool place) const {
  const Qt::LayoutDirection direction =
      parentWidget() != nullptr ? parentWidget()->layoutDirection() : Qt::LeftToRight;
  int x = rect.x(), y = rect.y(), row = 0;
  for (QLayoutItem* item : items_) {
    const QSize size = item->sizeHint();
    if (x > rect.x() && x + size.width() > rect.right() + 1) x = rect.x(), y += row, row = 0;
    if (place) item->setGeometry(QStyle::visualRect(direction, rect, QRect(QPoint(x, y), size)));
    x += size.width() + apart_;
    row = std::max(row, size.height());
  }
  return y + row - rect.y();
}

}  // namespace zt::desktop
