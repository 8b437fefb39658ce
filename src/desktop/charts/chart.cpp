// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/chart.h"

#include <QtWidgets>

#include "desktop/style/palette.h"

namespace zt::desktop {

Chart::Chart(QWidget* parent) : QWidget(parent) {
  setFocusPolicy(Qt::StrongFocus);
}

void Chart::keyPressEvent(QKeyEvent* event) {
  if (event->matches(QKeySequence::Copy))
    QGuiApplication::clipboard()->setText(tableTwin());
  else
    QWidget::keyPressEvent(event);
}

void Chart::contextMenuEvent(QContextMenuEvent* event) {
  QMenu menu(this);
  menu.addAction(tr("Copy as a table"), this, [this] { QGuiApplication::clipboard()->setText(tableTwin()); });
  menu.exec(event->globalPos());
}

void Chart::focusInEvent(QFocusEvent* event) {
  byMouse_ = event->reason() == Qt::MouseFocusReason || event->reason() == Qt::ActiveWindowFocusReason;
  QWidget::focusInEvent(event);
}

void Chart::paintFocus(QPainter& painter, const QRectF& around) {
  if (!hasFocus() || byMouse_) return;
  painter.setPen(QPen(face().ink, 1, Qt::DotLine));
  painter.setBrush(Qt::NoBrush);
  painter.drawRect(around);
}

void Chart::twinChanged() {
  setAccessibleDescription(tableTwin());
  update();
}

void drawText(QPainter& painter, const QRectF& rect, int flags, const QString& text, const QFont& font,
              const QColor& ink) {
  painter.setFont(font);
  painter.setPen(ink);
  const QString fitted = QFontMetricsF(font).elidedText(text, Qt::ElideMiddle, rect.width());
  painter.drawText(rect, flags | Qt::TextSingleLine, fitted);
}

}  // namespace zt::desktop
