// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/time_line.h"

#include <QtWidgets>
#include <cmath>

#include "desktop/style/look.h"

namespace zt::desktop {

namespace {
constexpr double longestDays = 3650;
}

TimeLine::TimeLine(QWidget* parent) : Chart(parent) {
  setObjectName(QStringLiteral("timeLine"));
  setAccessibleName(tr("When it was last touched"));
  setFixedHeight(50);
}

void TimeLine::show(TimeNs modified, TimeNs accessed, TimeNs now) {
  modified_ = modified;
  accessed_ = accessed;
  now_ = now;
  twinChanged();
}

QString TimeLine::tableTwin() const {
  QString text = tr("modified\t%1\n").arg(say(&Words::age, modified_, now_));
  if (accessed_ > 0) text += tr("read\t%1\n").arg(say(&Words::age, accessed_, now_));
  return text;
}

/// The recent past gets more room than the far one: days count by their logarithm.
double TimeLine::place(TimeNs time, double left, double right) const {
  const double days = std::max(0.0, static_cast<double>(now_ - time) / static_cast<double>(nsPerDay));
  return right - (right - left) * std::min(1.0, std::log1p(days) / std::log1p(longestDays));
}

void TimeLine::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const double left = 4;
  const double right = width() - 34.0;
  const double y = 18;
  p.setPen(QPen(face().secondInk, 1.2));
  p.drawLine(QPointF(left, y), QPointF(right, y));
  const std::pair<double, QString> ticks[] = {
      {0, tr("today")}, {30, tr("month")}, {365, tr("year")}, {1825, tr("5 years")}};
  for (const auto& [days, name] : ticks) {
    const double x = place(now_ - static_cast<TimeNs>(days * 86400) * nsPerSecond, left, right);
    p.setPen(QPen(face().secondInk, 1));
    p.drawLine(QPointF(x, y - 3), QPointF(x, y + 3));
    drawText(p, QRectF(x - 36, y + 6, 72, 16), Qt::AlignHCenter, name, typeface(Type::small),
             face().secondInk);
  }
  const double at = place(modified_, left, right);
  p.setPen(QPen(face().ink, 1.4));
  p.setBrush(face().ink);
  p.drawEllipse(QPointF(at, y), 4.5, 4.5);
  if (accessed_ > 0 && std::abs(place(accessed_, left, right) - at) > 8) {
    p.setBrush(face().paper);
    p.drawEllipse(QPointF(place(accessed_, left, right), y), 4.5, 4.5);
  }
  paintFocus(p, QRectF(rect()).adjusted(0, 0, -1, -1));
}

}  // namespace zt::desktop
