// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLayout>

namespace zt::desktop {

/// One thing after another, in as many rows as their texts need; from the right where the language is written
/// so. GUI thread.
class FlowLayout final : public QLayout {
public:
  explicit FlowLayout(int apart) : apart_(apart) { setContentsMargins(0, 0, 0, 0); }
  ~FlowLayout() override;
  void addItem(QLayoutItem* item) override { items_.append(item); }
  int count() const override { return static_cast<int>(items_.size()); }
  QLayoutItem* itemAt(int index) const override { return items_.value(index); }
  QLayoutItem* takeAt(int index) override;
  Qt::Orientations expandingDirections() const override { return Qt::Horizontal; }
  bool hasHeightForWidth() const override { return true; }
  int heightForWidth(int width) const override { return arrange(QRect(0, 0, width, 0), false); }
  QSize sizeHint() const override;
  QSize minimumSize() const override;
  void setGeometry(const QRect& rect) override;

private:
  /// Gives the height that is used.
  int arrange(const QRect& rect, bool place) const;
  QList<QLayoutItem*> items_;
  int apart_;
};

}  // namespace zt::desktop
