// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

namespace zt::desktop {

/// A painted widget with a table twin: what it shows as tab-separated text, for copying (Ctrl+C) and for
/// screen readers.
class Chart : public QWidget {
  Q_OBJECT
public:
  explicit Chart(QWidget* parent = nullptr);
  virtual QString tableTwin() const = 0;

protected:
  void keyPressEvent(QKeyEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  /// Whoever came by the mouse sees where he is without a frame.
  void paintFocus(QPainter& painter, const QRectF& around);
  void twinChanged();

private:
  bool byMouse_ = false;
};

/// Text at a place, cut with an ellipsis where it does not fit.
void drawText(QPainter& painter, const QRectF& rect, int flags, const QString& text, const QFont& font,
              const QColor& ink);

}  // namespace zt::desktop
