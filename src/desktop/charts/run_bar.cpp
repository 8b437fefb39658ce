// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/run_bar.h"

#include <QtWidgets>

#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

RunBar::RunBar(QWidget* parent) : Chart(parent) {
  setObjectName(QStringLiteral("runBar"));
  setAccessibleName(tr("How far the run has come"));
  setFixedHeight(40);
}

void RunBar::show(Bytes done, Bytes all, QList<Mark> marks) {
  done_ = std::min(done, all);
  all_ = all;
  marks_ = std::move(marks);
  twinChanged();
  update();
}

QString RunBar::tableTwin() const {
  QString text = tr("freed\t%1\nof\t%2\n").arg(say(&Words::exact, done_), say(&Words::exact, all_));
  for (const Mark& m : marks_) text += tr("%1\tmet after %2\n").arg(m.name, say(&Words::exact, m.at));
  return text;
}

void RunBar::paintEvent(QPaintEvent*) {
  if (all_ == 0) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const QRectF frame(0.5, 4.5, width() - 1.0, 10);
  const auto at = [&](Bytes bytes) {
    return frame.left() +
           frame.width() * std::min(1.0, static_cast<double>(bytes) / static_cast<double>(all_));
  };
  p.setPen(QPen(face().ink, 1));
  p.setBrush(Qt::NoBrush);
  p.drawRect(frame);
  p.fillRect(QRectF(frame.left(), frame.top(), at(done_) - frame.left(), frame.height()), face().ink);
  double free = 0;  // names do not overlap: the next one has room from here
  for (const Mark& m : marks_) {
    const double x = at(m.at);
    p.setPen(QPen(face().red, 1.6));
    p.drawLine(QPointF(x, 1), QPointF(x, 18));
    const QString text = m.met ? tr("%1 is met").arg(m.name) : tr("%1 is met here").arg(m.name);
    const double w = QFontMetricsF(typeface(Type::small)).horizontalAdvance(text) + 4;
    const double left = std::clamp(x - w / 2, 0.0, std::max(0.0, width() - w));
    if (left < free) continue;
    drawText(p, QRectF(left, 20, w, 18), Qt::AlignLeft, text, typeface(Type::small), face().red);
    free = left + w + 8;
  }
}

}  // namespace zt::desktop
