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
  setToolTip(text());
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
  double needed = 0;
  for (const QString& part : parts_)
    if (!part.isEmpty()) needed += 36 + QFontMetricsF(small).horizontalAdvance(part);
  const bool close = needed > width();
  const double gap = close ? 4 : 16;
  const double indent = close ? 16 : 20;
  double x = 0;
  for (qsizetype i = 0; i < parts_.size(); ++i) {
    if (parts_[i].isEmpty()) continue;
    const QRectF box(x + 0.5, 4.5, indent - 6, 11);
    fillStratum(p, box, static_cast<Stratum>(i));
    p.setPen(QPen(face().line, 0.8));
    p.setBrush(Qt::NoBrush);
    p.drawRect(box);
    const double advance = QFontMetricsF(small).horizontalAdvance(parts_[i]);
    drawText(p, QRectF(x + indent, 0, advance + 2, height()), Qt::AlignLeft | Qt::AlignVCenter, parts_[i],
             small, face().secondInk);
    x += indent + advance + gap;
  }
}

}  // namespace zt::desktop
