// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QStyledItemDelegate>

namespace zt::desktop {

/// A flat row: the chosen one on its own ground, some room at both ends of a cell, the current one marked at
/// its left edge.
class LedgerDelegate : public QStyledItemDelegate {
  Q_OBJECT
public:
  using QStyledItemDelegate::QStyledItemDelegate;
  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
  QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;

private:
  static void paintText(QPainter& painter, const QStyleOptionViewItem& option, const QModelIndex& index);
};

}  // namespace zt::desktop
