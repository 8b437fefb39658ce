// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/points_line.h"

#include <QtWidgets>
#include <algorithm>

#include "desktop/style/look.h"

namespace zt::desktop {

PointsLine::PointsLine(QWidget* parent) : Chart(parent) {
  setObjectName(QStringLiteral("pointsLine"));
  setAccessibleName(tr("The series in time"));
  setFocusPolicy(Qt::StrongFocus);
  setFixedHeight(static_cast<int>(axis + 24 + lane * lanes));
}

void PointsLine::show(PointsPicture picture) {
  picture_ = std::move(picture);
  picked_.assign(picture_.marks.size(), false);
  anchor_ = current_ = 0;
  const std::size_t used = std::min(lanes, picture_.spans.size());
  setFixedHeight(static_cast<int>(axis + (used > 0 ? 22 : 12) + lane * static_cast<double>(used)));
  twinChanged();
  update();
}

void PointsLine::setPicked(std::vector<bool> picked) {
  picked.resize(picture_.marks.size());
  for (std::size_t i = 0; i < picked.size(); ++i)
    if (picture_.marks[i].stays) picked[i] = false;
  if (picked == picked_) return;
  picked_ = std::move(picked);
  twinChanged();
  update();
  Q_EMIT changed();
}

QString PointsLine::tableTwin() const {
  QString text = tr("taken\talone\t\n");
  for (std::size_t i = 0; i < picture_.marks.size(); ++i) {
    const auto& m = picture_.marks[i];
    text += QStringLiteral("%1\t%2\t%3\n")
                .arg(m.name, say(&Words::bytes, m.alone),
                     m.stays      ? tr("stays")
                     : picked_[i] ? tr("picked")
                                  : QString());
  }
  return text;
}

double PointsLine::place(TimeNs taken) const {
  const double left = 10, right = width() - 14.0;
  const TimeNs first = picture_.marks.front().taken, last = picture_.marks.back().taken;
  if (last <= first) return (left + right) / 2;
  return left + (right - left) * static_cast<double>(taken - first) / static_cast<double>(last - first);
}

std::size_t PointsLine::nearest(double x) const {
  std::size_t best = 0;
  for (std::size_t i = 1; i < picture_.marks.size(); ++i)
    if (std::abs(place(picture_.marks[i].taken) - x) < std::abs(place(picture_.marks[best].taken) - x))
      best = i;
  return best;
}

void PointsLine::pickRange(std::size_t from, std::size_t to) {
  std::vector<bool> picked(picture_.marks.size(), false);
  for (std::size_t i = std::min(from, to); i <= std::max(from, to) && i < picked.size(); ++i)
    picked[i] = true;
  setPicked(std::move(picked));
  update();
}

void PointsLine::keyPressEvent(QKeyEvent* event) {
  const bool left = event->key() == Qt::Key_Left, right = event->key() == Qt::Key_Right;
  const std::size_t last = picture_.marks.empty() ? 0 : picture_.marks.size() - 1;
  if (picture_.marks.empty() ||
      (!left && !right && event->key() != Qt::Key_Home && event->key() != Qt::Key_End))
    return Chart::keyPressEvent(event);
  if (left && current_ > 0) --current_;
  if (right && current_ < last) ++current_;
  if (event->key() == Qt::Key_Home) current_ = 0;
  if (event->key() == Qt::Key_End) current_ = last;
  if ((event->modifiers() & Qt::ShiftModifier) == 0) anchor_ = current_;
  pickRange(anchor_, current_);
}

void PointsLine::mousePressEvent(QMouseEvent* event) {
  if (picture_.marks.empty()) return;
  current_ = nearest(event->position().x());
  if ((event->modifiers() & Qt::ShiftModifier) == 0) anchor_ = current_;
  pickRange(anchor_, current_);
}

void PointsLine::mouseMoveEvent(QMouseEvent* event) {
  if (picture_.marks.empty() || (event->buttons() & Qt::LeftButton) == 0) return;
  current_ = nearest(event->position().x());
  pickRange(anchor_, current_);
}

bool PointsLine::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip || picture_.marks.empty()) return Chart::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  const auto& mark = picture_.marks[nearest(help->pos().x())];
  QToolTip::showText(help->globalPos(), mark.name + QLatin1Char('\n') + say(&Words::bytes, mark.alone), this);
  return true;
}

/// The most bytes first, each in the first lane that has room.
void PointsLine::paintSpans(QPainter& p) {
  std::array<std::vector<std::pair<double, double>>, lanes> taken;
  for (const auto& span : picture_.spans) {
    const double from = place(picture_.marks[span.first].taken);
    const double to = std::max(from + 6, place(picture_.marks[span.last].taken));
    const QString text = say(&Words::bytes, span.bytes);
    const double end = std::max(to, from + QFontMetricsF(typeface(Type::small)).horizontalAdvance(text) + 10);
    for (std::size_t l = 0; l < lanes; ++l) {
      const bool room = std::none_of(taken[l].begin(), taken[l].end(),
                                     [&](const auto& t) { return from < t.second + 4 && t.first < end + 4; });
      if (!room) continue;
      taken[l].emplace_back(from, end);
      bool all = true;
      for (std::size_t i = span.first; i <= span.last; ++i) all = all && picked_[i];
      const double y = axis + 20 + lane * static_cast<double>(l);
      p.setPen(QPen(all ? face().ink : face().secondInk, all ? 3 : 1.4));
      p.drawLine(QPointF(from, y), QPointF(to, y));
      for (const double x : {from, to}) p.drawLine(QPointF(x, y - 3), QPointF(x, y + 3));
      drawText(p, QRectF(from + 4, y + 1, end - from, lane - 1), Qt::AlignLeft, text, typeface(Type::small),
               all ? face().ink : face().secondInk);
      break;
    }
  }
}

void PointsLine::paintMarks(QPainter& p) {
  Bytes most = 1;
  for (const auto& m : picture_.marks) most = std::max(most, m.alone);
  constexpr double room = axis - 22;
  for (std::size_t i = 0; i < picture_.marks.size(); ++i) {
    const auto& m = picture_.marks[i];
    const double x = place(m.taken);
    const double height = room * static_cast<double>(m.alone) / static_cast<double>(most);
    p.setPen(QPen(picked_[i] ? face().ink : face().secondInk, picked_[i] ? 5 : 3));
    if (height >= 1) p.drawLine(QPointF(x, axis - 3), QPointF(x, axis - 3 - height));
    // What stays is an open square, the rest a tick on the line.
    p.setPen(QPen(face().ink, 1.4));
    p.setBrush(picked_[i] ? face().ink : face().paper);
    if (m.stays)
      p.drawRect(QRectF(x - 4, axis - 4, 8, 8));
    else
      p.drawRect(QRectF(x - 1.5, axis - 5, 3, 10));
  }
}

void PointsLine::paintEvent(QPaintEvent*) {
  QPainter p(this);
  if (picture_.marks.empty()) return;
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(face().secondInk, 1.2));
  p.drawLine(QPointF(4, axis), QPointF(width() - 8.0, axis));
  const QString first = dateText(picture_.marks.front().taken), last = dateText(picture_.marks.back().taken);
  drawText(p, QRectF(4, 0, width() / 2.0 - 8, 16), Qt::AlignLeft, first, typeface(Type::small),
           face().secondInk);
  if (picture_.marks.size() > 1)
    drawText(p, QRectF(width() / 2.0, 0, width() / 2.0 - 8, 16), Qt::AlignRight, last, typeface(Type::small),
             face().secondInk);
  paintSpans(p);
  paintMarks(p);
  if (hasFocus()) paintFocus(p, QRectF(rect()).adjusted(0, 0, -1, -1));
}

}  // namespace zt::desktop
