// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/level_gauge.h"

#include <QtWidgets>

#include "desktop/style/look.h"

namespace zt::desktop {

namespace {
/// As wide as the names of its strata are in their language, within reason.
int widthForNames() {
  constexpr int usual = 232, room = 66, most = 44;
  QFont name = typeface(Type::small);
  name.setBold(true);
  const QFontMetrics metrics(name);
  int widest = 0;
  for (int i = 0; i < standings; ++i)
    widest = std::max(widest, metrics.horizontalAdvance(say(&Words::standing, static_cast<Standing>(i))));
  return usual + std::clamp(widest - room, 0, most);
}
}  // namespace

LevelGauge::LevelGauge(QWidget* parent) : Chart(parent) {
  setObjectName(QStringLiteral("level"));
  setProperty("word", QStringLiteral("Level"));
  setAccessibleName(tr("Level"));
  setMouseTracking(true);
  setFixedWidth(widthForNames());
}

void LevelGauge::show(const DrivePicture& picture) {
  view_ = picture;
  blocks_ = blocksOf(view_, accounted_);
  twinChanged();
}

void LevelGauge::setAccounted(Bytes bytes) {
  accounted_ = bytes;
  blocks_ = blocksOf(view_, accounted_);
  twinChanged();
}

QString LevelGauge::tableTwin() const {
  QString text;
  for (auto b = blocks_.rbegin(); b != blocks_.rend(); ++b) {
    text += b->name + QLatin1Char('\t') + say(&Words::exact, b->bytes);
    if (b->planned > 0) text += QLatin1Char('\t') + tr("planned: %1").arg(say(&Words::exact, b->planned));
    text += QLatin1Char('\n');
  }
  return text;
}

QRectF LevelGauge::columnRect() const {
  return {98, 92, 52, height() - 92.0 - 62.0};
}

void LevelGauge::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), face().panel);
  paintHead(p);
  const QRectF column = columnRect();
  if (!view_.shown) {
    p.setPen(QPen(face().rule, 1.4, Qt::DashLine));
    p.drawRect(column);
  } else {
    rects_ = paintColumn(p, column, blocks_, view_.drive.usage.capacity);
    if (focused_ >= 0 && hasFocus() && focused_ < rects_.size()) {
      p.setPen(QPen(face().ink, 2.5));
      p.drawRect(rects_[focused_].adjusted(-3, -1, 3, 1));
    }
    paintNames(p, column, rects_);
    paintTargets(p, column);
    paintPlannedLevel(p, column);
  }
  QFont italic = typeface(Type::small);
  italic.setItalic(true);
  drawText(p, QRectF(20, height() - 44, 200, 18), Qt::AlignLeft, tr("Level"), italic, face().secondInk);
  const bool plans = view_.planned.sure > 0;
  drawText(p, QRectF(20, height() - 26, 204, 18), Qt::AlignLeft,
           plans ? tr("dashed: after the plan") : QString(), typeface(Type::small), face().secondInk);
  paintFocus(p, QRectF(rect()).adjusted(4, 4, -5, -5));
}

void LevelGauge::paintHead(QPainter& p) {
  const QString name = view_.shown ? say(&Words::driveName, view_.drive) : tr("no drive chosen");
  drawText(p, QRectF(20, 18, 200, 24), Qt::AlignLeft, name, typeface(Type::title), face().ink);
  if (view_.shown)
    drawText(p, QRectF(20, 42, 204, 18), Qt::AlignLeft, say(&Words::driveLine, view_.drive),
             typeface(Type::small), face().secondInk);
}

void LevelGauge::paintNames(QPainter& p, const QRectF& column, const QList<QRectF>& rects) {
  // Names keep their distance from each other: from the top down, each at its block's middle or below the one
  // before.
  double last = column.top() - 40;
  QList<double> at(rects.size());
  for (auto i = rects.size(); i-- > 0;) {
    at[i] = std::max(rects[i].center().y() - 15, last + 33);
    last = at[i];
  }
  double floor = column.bottom() - 28;
  for (qsizetype i = 0; i < rects.size(); ++i) {
    at[i] = std::min(at[i], floor);
    floor = at[i] - 33;
  }
  for (qsizetype i = 0; i < rects.size(); ++i) {
    const Block& b = blocks_[i];
    p.setPen(QPen(face().secondInk, 0.8));
    p.drawLine(QPointF(column.right() + 1, rects[i].center().y()), QPointF(column.right() + 8, at[i] + 12));
    QFont name = typeface(Type::small);
    name.setBold(true);
    name.setUnderline(i == hovered_);
    drawText(p, QRectF(column.right() + 11, at[i], width() - column.right() - 13, 16), Qt::AlignLeft, b.name,
             name, face().ink);
    drawText(p, QRectF(column.right() + 11, at[i] + 14, width() - column.right() - 13, 16), Qt::AlignLeft,
             say(&Words::bytes, b.bytes), typeface(Type::small), face().secondInk);
  }
}

void LevelGauge::paintTargets(QPainter& p, const QRectF& column) {
  const auto capacity = static_cast<double>(view_.drive.usage.capacity);
  QList<Mark> marks;
  for (const Target& t : view_.targets)
    if (t.chosen && capacity > 0)
      marks.append({column.top() + column.height() * static_cast<double>(t.bytes) / capacity,
                    say(&Words::targetName, t), say(&Words::bytes, t.bytes)});
  std::sort(marks.begin(), marks.end(), [](const Mark& a, const Mark& b) { return a.y < b.y; });
  double last = 0;
  for (const Mark& m : marks) {
    p.setPen(QPen(face().red, 1.6));
    p.drawLine(QPointF(column.left() - 2, m.y), QPointF(column.right(), m.y));
    p.setBrush(face().red);
    p.setPen(Qt::NoPen);
    p.drawPolygon(
        QPolygonF{{column.left() - 11, m.y - 5}, {column.left() - 11, m.y + 5}, {column.left() - 2, m.y}});
    const double y = std::max(m.y - 15, last);
    QFont name = typeface(Type::small);
    name.setBold(true);
    // A long name takes two lines; what still does not fit is cut.
    const QRectF room(6, y, column.left() - 22, 32);
    p.setFont(name);
    p.setPen(face().red);
    QRectF used;
    p.drawText(room, Qt::AlignRight | Qt::AlignTop | Qt::TextWordWrap, m.name, &used);
    drawText(p, QRectF(6, y + used.height() + 1, room.width(), 16), Qt::AlignRight, m.amount,
             typeface(Type::small), face().red);
    last = y + used.height() + 18;
  }
}

void LevelGauge::paintPlannedLevel(QPainter& p, const QRectF& column) {
  if (view_.planned.sure == 0 || view_.drive.usage.capacity == 0) return;
  const double y = column.top() + column.height() * static_cast<double>(view_.free + view_.planned.sure) /
                                      static_cast<double>(view_.drive.usage.capacity);
  p.setPen(QPen(face().ink, 2, Qt::DashLine));
  p.drawLine(QPointF(column.left() - 6, y), QPointF(column.right() + 6, y));
}

int LevelGauge::blockAt(const QPointF& pos) const {
  for (int i = 0; i < rects_.size(); ++i)
    if (rects_[i].adjusted(0, -1, 80, 1).contains(pos)) return i;
  return -1;
}

void LevelGauge::mousePressEvent(QMouseEvent* event) {
  const int at = blockAt(event->position());
  if (at >= 0 && event->button() == Qt::LeftButton) Q_EMIT picked(blocks_[at].stratum);
}

void LevelGauge::mouseMoveEvent(QMouseEvent* event) {
  const int at = blockAt(event->position());
  if (at == hovered_) return;
  hovered_ = at;
  setCursor(at >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
  update();
}

void LevelGauge::keyPressEvent(QKeyEvent* event) {
  const auto count = static_cast<int>(blocks_.size());
  if (event->key() == Qt::Key_Up && count > 0)
    focused_ = std::min(focused_ + 1, count - 1);
  else if (event->key() == Qt::Key_Down && count > 0)
    focused_ = std::max(focused_ - 1, 0);
  else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Space) && focused_ >= 0 &&
           focused_ < count)
    Q_EMIT picked(blocks_[focused_].stratum);
  else
    return Chart::keyPressEvent(event);
  update();
}

bool LevelGauge::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(event);
    const int at = blockAt(help->pos());
    if (at >= 0)
      QToolTip::showText(help->globalPos(),
                         blocks_[at].name + QStringLiteral(": ") + say(&Words::exact, blocks_[at].bytes),
                         this);
    else
      QToolTip::hideText();
    return true;
  }
  return Chart::event(event);
}

}  // namespace zt::desktop
