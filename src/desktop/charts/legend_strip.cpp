// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/legend_strip.h"

#include <QPainter>

#include "desktop/charts/chart.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

LegendStrip::LegendStrip(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("legend"));
  setFixedHeight(20);
}

void LegendStrip::show(const QStringList& parts) {
  parts_ = parts;
  sentence_.clear();
  setAccessibleName(text());
  update();
}

void LegendStrip::say(const QString& text) {
  sentence_ = text;
  parts_.clear();
  setAccessibleName(text);
  update();
}

QString LegendStrip::text() const {
  QStringList names = parts_;
  names.removeAll(QString());
  return sentence_.isEmpty() ? names.join(QStringLiteral(" · ")) : sentence_;
}

void LegendStrip::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const QFont small = typeface(Type::small);
  if (!sentence_.isEmpty())
    return drawText(p, QRectF(rect()), Qt::AlignLeft | Qt::AlignVCenter, sentence_, small, face().secondInk);
  double x = 0;
  for (qsizetype i = 0; i < parts_.size(); ++i) {
    if (parts_[i].isEmpty()) continue;
    const QRectF box(x + 0.5, 4.5, 14, 11);
    fillStratum(p, box, static_cast<Stratum>(i));
    p.setPen(QPen(face().line, 0.8));
    p.setBrush(Qt::NoBrush);
    p.drawRect(box);
    const double width = QFontMetricsF(small).horizontalAdvance(parts_[i]);
    drawText(p, QRectF(x + 20, 0, width + 2, height()), Qt::AlignLeft | Qt::AlignVCenter, parts_[i], small,
             face().secondInk);
    x += 20 + width + 16;
  }
}

}  // namespace zt::desktop
