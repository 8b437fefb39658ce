// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/column.h"

#include <QCoreApplication>
#include <QPainter>

#include "desktop/style/look.h"

namespace zt::desktop {

QList<Block> blocksOf(const DrivePicture& v, Bytes accounted) {
  const SpaceUsage& usage = v.drive.usage;
  const auto word = [](const char* text) { return QCoreApplication::translate("Level", text); };
  QList<Block> blocks;
  Bytes used = usage.capacity > v.free ? usage.capacity - v.free : 0;
  if (!v.measured || accounted != 0) {
    const Bytes seen = std::min(accounted, used);
    if (seen > 0) blocks.append({Stratum::unjudged, seen, 0, word("accounted")});
    blocks.append(
        {Stratum::unknown, used - seen, 0, v.measured || seen > 0 ? word("not yet seen") : word("used")});
  } else {
    Bytes sum = 0;
    for (int i = 0; i < standings; ++i) {
      const auto at = static_cast<std::size_t>(i);
      sum += v.strata[at];
      if (v.strata[at] > 0)
        blocks.append({stratumOf(static_cast<Standing>(i)), v.strata[at], v.plannedFrom[at],
                       say(&Words::standing, static_cast<Standing>(i))});
    }
    const Bytes points = std::min(v.points, used > sum ? used - sum : 0);
    if (points > 0)
      blocks.append({Stratum::points, points, std::min(points, v.plannedPoints),
                     v.foreignPoints ? word("restore points") : word("snapshots")});
    sum += points;
    // After a run the strata are those of the survey, while the free figure is read anew: what went is the
    // difference.
    if (used > sum)
      blocks.append(
          {Stratum::notInFiles, used - sum, 0, v.wholeDrive ? word("not in files") : word("elsewhere")});
    if (used < sum) used = sum;
  }
  const Bytes free = usage.capacity > used ? usage.capacity - used : 0;
  blocks.append({Stratum::free, free, 0, word("free")});
  return blocks;
}

QList<QRectF> paintColumn(QPainter& painter, const QRectF& column, const QList<Block>& blocks,
                          Bytes capacity) {
  QList<QRectF> rects;
  double bottom = column.bottom();
  const double scale = capacity == 0 ? 0 : column.height() / static_cast<double>(capacity);
  for (const Block& block : blocks) {
    const double height = std::min(static_cast<double>(block.bytes) * scale, bottom - column.top());
    const QRectF rect(column.left(), bottom - height, column.width(), height);
    fillStratum(painter, rect, block.stratum);
    if (block.planned > 0) {
      // Planned parts lift out of their own stratum, to its side.
      const double part = std::min(height, static_cast<double>(block.planned) * scale);
      const QRectF lifted(rect.left() + rect.width() * 0.28, rect.top(), rect.width() * 0.72,
                          std::max(part, 2.0));
      fillStratum(painter, lifted, Stratum::planned);
      painter.setPen(QPen(face().red, 1));
      painter.setBrush(Qt::NoBrush);
      painter.drawRect(lifted);
    }
    if (height >= 2) {
      painter.setPen(QPen(face().line, 0.8));
      painter.drawLine(rect.topLeft(), rect.topRight());
    }
    rects.append(rect);
    bottom -= height;
  }
  painter.setPen(QPen(face().line, 1.6));
  painter.setBrush(Qt::NoBrush);
  painter.drawRect(column);
  return rects;
}

}  // namespace zt::desktop
