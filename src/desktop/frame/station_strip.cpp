// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/frame/station_strip.h"

#include <QtWidgets>
#include <cmath>

#include "desktop/charts/chart.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

StationStrip::StationStrip(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("stations"));
  setAccessibleName(tr("Stations"));
  setFocusPolicy(Qt::TabFocus);
  setFixedHeight(92);
  setCursor(Qt::PointingHandCursor);
}

void StationStrip::show(QList<Item> items, int current) {
  items_ = std::move(items);
  current_ = current;
  QString text;
  for (const Item& i : items_) text += i.name + QStringLiteral(": ") + i.figure + QLatin1Char('\n');
  setAccessibleDescription(text);
  update();
}

void StationStrip::setProgress(double share, const QString& note) {
  progress_ = share;
  note_ = note;
  update();
}

double StationStrip::slot() const {
  return std::min(166.0, (width() - 60.0) / static_cast<double>(std::max<qsizetype>(1, items_.size())));
}

void StationStrip::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const double y = 26;
  const auto x = [&](qsizetype i) { return 36 + slot() * static_cast<double>(i); };
  p.setPen(QPen(face().secondInk, 1.6));
  p.drawLine(QPointF(x(0), y), QPointF(x(items_.size() - 1), y));
  for (qsizetype i = 0; i < items_.size(); ++i) {
    const Item& item = items_[i];
    const bool here = i == current_;
    p.setPen(QPen(face().ink, 1.6));
    p.setBrush(item.reached ? face().ink : face().paper);
    p.drawEllipse(QPointF(x(i), y), here ? 6 : 4.5, here ? 6 : 4.5);
    if (here) {
      p.setBrush(Qt::NoBrush);
      p.drawEllipse(QPointF(x(i), y), 9.5, 9.5);
    }
    const QRectF text(x(i) - 6, y + 15, slot() - 6, 20);
    drawText(p, text, Qt::AlignLeft, item.name, typeface(here ? Type::strong : Type::body), face().ink);
    drawText(p, text.translated(0, 20), Qt::AlignLeft, item.figure, typeface(Type::small), face().secondInk);
  }
  p.setPen(QPen(face().rule, 1.2));
  p.drawLine(QPointF(0, height() - 1.0), QPointF(width(), height() - 1.0));
  if (progress_ >= 0) {
    const double share = progress_ > 1 ? 1 : progress_;
    p.setPen(QPen(face().ink, 3, progress_ > 1 ? Qt::DotLine : Qt::SolidLine));
    p.drawLine(QPointF(0, height() - 1.5), QPointF(width() * share, height() - 1.5));
    drawText(p, QRectF(width() - 420, 2, 390, 16), Qt::AlignRight, note_, typeface(Type::small), face().ink);
  }
  if (hasFocus()) {
    p.setPen(QPen(face().ink, 1, Qt::DotLine));
    p.setBrush(Qt::NoBrush);
    p.drawRect(QRectF(x(current_) - 16, 8, slot() - 4, 74));
  }
}

void StationStrip::mousePressEvent(QMouseEvent* event) {
  const int at = static_cast<int>(std::floor((event->position().x() - 24) / slot()));
  if (at >= 0 && at < items_.size()) Q_EMIT chosen(at);
}

void StationStrip::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Right && current_ + 1 < items_.size())
    Q_EMIT chosen(current_ + 1);
  else if (event->key() == Qt::Key_Left && current_ > 0)
    Q_EMIT chosen(current_ - 1);
  else
    QWidget::keyPressEvent(event);
}

}  // namespace zt::desktop
