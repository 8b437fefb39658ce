// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/legend_strip.h"

#include <QPainter>
#include <algorithm>
#include <numeric>

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
  const QFontMetricsF metrics(small);
  QList<double> widths;
  for (const QString& part : parts_) widths.append(part.isEmpty() ? 0 : metrics.horizontalAdvance(part) + 2);
  const auto count =
      static_cast<double>(std::count_if(widths.begin(), widths.end(), [](double w) { return w > 0; }));
  const auto sum = [&] { return std::accumulate(widths.begin(), widths.end(), 0.0); };
  const bool close = sum() + count * 36 > width();
  const double gap = close ? 4 : 16;
  const double indent = close ? 16 : 20;
  // Where even that is too much, the longest names lose their ends.
  const double room = std::max(count * 20, width() - count * (indent + gap));
  while (count > 0 && sum() > room) *std::max_element(widths.begin(), widths.end()) -= 2;
  double x = 0;
  for (qsizetype i = 0; i < parts_.size(); ++i) {
    if (parts_[i].isEmpty()) continue;
    const QRectF box(x + 0.5, 4.5, indent - 6, 11);
    fillStratum(p, box, static_cast<Stratum>(i));
    p.setPen(QPen(face().line, 0.8));
    p.setBrush(Qt::NoBrush);
    p.drawRect(box);
    const double advance = widths[i];
    p.setFont(small);
    p.setPen(face().secondInk);
    p.drawText(QRectF(x + indent, 0, advance, height()),
               Qt::AlignLeft | Qt::AlignVCenter | Qt::TextSingleLine,
               metrics.elidedText(parts_[i], Qt::ElideRight, advance));
    x += indent + advance + gap;
  }
}

}  // namespace zt::desktop
