// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/staircase.h"

#include <QtWidgets>
#include <cmath>

#include "desktop/style/look.h"

namespace zt::desktop {

namespace {
constexpr qsizetype mostSteps = 9;
}

Staircase::Staircase(QWidget* parent) : Chart(parent) {
  setObjectName(QStringLiteral("staircase"));
  setProperty("word", QStringLiteral("plan"));
  setAccessibleName(tr("Staircase of the plan"));
  setMinimumHeight(130);
}

void Staircase::show(const DrivePicture& view, const Plan& plan, const std::vector<GainBounds>& adds) {
  view_ = view;
  all_.clear();
  // What does not reach the counter, because it fills up what is kept back, is the first that comes free.
  Bytes swallowed = 0;
  for (const GainBounds& g : adds) swallowed += g.sure;
  swallowed -= std::min(swallowed, view.planned.sure);
  for (std::size_t i = 0; i < plan.lines.size(); ++i) {
    const PlanLine& line = plan.lines[i];
    if (!line.takesPart()) continue;
    const PathBytes place = line.items.size() == 1 ? line.items[0].path : line.place;
    const Bytes reaches = adds[i].sure - std::min(swallowed, adds[i].sure);
    swallowed -= adds[i].sure - reaches;
    all_.append({static_cast<int>(i), say(&Words::path, baseName(place)), reaches, stratumOf(line.standing)});
  }
  const Target* most = hardest(view.targets);
  top_ = 1.12 * static_cast<double>(std::max({view.free + std::max(view.planned.atMost, view.planned.sure),
                                              most ? most->bytes : 0, Bytes{1}}));
  twinChanged();
}

void Staircase::setCurrent(int line) {
  current_ = line;
  update();
}

QList<Staircase::Step> Staircase::steps() const {
  const QList<Step>& all = all_;
  if (all.size() <= mostSteps) return all;
  // Too many to be read: the largest stand alone, the rest are one step.
  QList<Bytes> sizes;
  for (const Step& s : all) sizes.append(s.bytes);
  std::nth_element(sizes.begin(), sizes.begin() + mostSteps - 2, sizes.end(), std::greater<>());
  const Bytes limit = sizes[mostSteps - 2];
  QList<Step> shown;
  Step rest{-1, {}, 0, Stratum::unjudged};
  int count = 0;
  for (const Step& s : all) {
    if (s.bytes >= limit && shown.size() < mostSteps - 1) {
      shown.append(s);
    } else {
      rest.bytes += s.bytes;
      ++count;
    }
  }
  rest.name = tr("%1 smaller").arg(count);
  shown.append(rest);
  return shown;
}

QString Staircase::tableTwin() const {
  QString text = tr("step\tadds\tfree after it\n");
  Bytes free = view_.free;
  for (const Step& s : steps()) {
    free += s.bytes;
    text += s.name + QLatin1Char('\t') + say(&Words::exact, s.bytes) + QLatin1Char('\t') +
            say(&Words::exact, free) + QLatin1Char('\n');
  }
  return text;
}

double Staircase::y(double bytes, const QRectF& area) const {
  return area.bottom() - area.height() * bytes / top_;
}

void Staircase::paintAxis(QPainter& p, const QRectF& area) {
  const double unit = std::pow(10, std::floor(std::log10(top_ / 2)));
  const double step = top_ / unit > 8 ? unit * 2 : unit;
  for (double b = 0; b < top_ * 0.98; b += step) {
    p.setPen(QPen(face().rule, 0.8));
    p.drawLine(QPointF(area.left(), y(b, area)), QPointF(area.right(), y(b, area)));
    drawText(p, QRectF(0, y(b, area) - 9, area.left() - 8, 18), Qt::AlignRight | Qt::AlignVCenter,
             say(&Words::bytes, static_cast<Bytes>(b)), typeface(Type::small), face().secondInk);
  }
}

void Staircase::paintTargetLines(QPainter& p, const QRectF& area) {
  for (const Target& t : view_.targets) {
    if (!t.chosen) continue;
    const double at = y(static_cast<double>(t.bytes), area);
    p.setPen(QPen(face().red, 1.6));
    p.drawLine(QPointF(area.left(), at), QPointF(area.right(), at));
  }
}

/// Names come last and on paper, so that no step hides them.
void Staircase::paintTargetNames(QPainter& p, const QRectF& area) {
  QFont bold = typeface(Type::small);
  bold.setBold(true);
  for (const Target& t : view_.targets) {
    if (!t.chosen) continue;
    const QString text = say(&Words::targetName, t) + QLatin1Char(' ') + say(&Words::bytes, t.bytes);
    const double width = std::min(220.0, QFontMetricsF(bold).horizontalAdvance(text) + 6);
    const QRectF room(area.left() + 6, y(static_cast<double>(t.bytes), area) - 18, width, 16);
    p.fillRect(room, face().paper);
    drawText(p, room, Qt::AlignLeft, text, bold, face().red);
  }
}

void Staircase::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const QRectF area(66, 8, width() - 70.0, height() - 34.0);
  paintAxis(p, area);
  paintTargetLines(p, area);
  const auto list = steps();
  const double slot = area.width() / static_cast<double>(list.size() + 2);
  const double bar = std::min(slot * 0.86, 130.0);
  const auto block = [&](qsizetype at, double from, double to) {
    return QRectF(area.left() + slot * static_cast<double>(at) + (slot - bar) / 2, y(to, area), bar,
                  y(from, area) - y(to, area));
  };
  const auto label = [&](qsizetype at, double above, const QString& text) {
    QFont bold = typeface(Type::small);
    bold.setBold(true);
    // Figures lie on paper, never on a target line.
    const double width = QFontMetricsF(bold).horizontalAdvance(text) + 8;
    const double middle =
        std::min(area.left() + slot * (static_cast<double>(at) + 0.5), area.right() - width / 2);
    const QRectF room(middle - width / 2, above - 18, width, 16);
    p.fillRect(room, face().paper);
    drawText(p, room, Qt::AlignHCenter, text, bold, face().ink);
  };
  const auto foot = [&](qsizetype at, const QString& text) {
    drawText(p, QRectF(area.left() + slot * static_cast<double>(at) + 2, area.bottom() + 5, slot - 4, 18),
             Qt::AlignHCenter, text, typeface(Type::small), face().ink);
  };
  auto free = static_cast<double>(view_.free);
  const bool more = view_.planned.atMost > view_.planned.sure;
  const auto stand = [&](qsizetype at, double height, const QString& name) {
    const QRectF rect = block(at, 0, height);
    p.fillRect(rect, face().free);
    p.setPen(QPen(face().line, 1.4));
    p.setBrush(Qt::NoBrush);
    p.drawRect(rect);
    // Under a dashed "at most" its figure would be hidden: then it stands inside.
    label(at, rect.top() + (more && at > 0 ? 22 : 0), say(&Words::bytes, static_cast<Bytes>(height)));
    foot(at, name);
  };
  stand(0, free, tr("free today"));
  rects_.clear();
  for (qsizetype i = 0; i < list.size(); ++i) {
    const QRectF rect = block(i + 1, free, free + static_cast<double>(list[i].bytes));
    const QRectF shown = rect.height() < 3 ? rect.adjusted(0, -3 + rect.height(), 0, 0) : rect;
    p.setPen(QPen(face().secondInk, 1, Qt::DotLine));
    p.drawLine(QPointF(rect.left() - (slot - bar), rect.bottom()), rect.bottomLeft());
    fillStratum(p, shown, list[i].stratum);
    p.setPen(QPen(face().line, list[i].line == current_ && current_ >= 0 ? 2.6 : 1));
    p.drawRect(shown);
    label(i + 1, shown.top(), QLatin1Char('+') + say(&Words::bytes, list[i].bytes));
    foot(i + 1, list[i].name);
    rects_.append(shown);
    free += static_cast<double>(list[i].bytes);
  }
  stand(list.size() + 1, free, tr("after it"));
  if (more) {
    const QRectF held = block(list.size() + 1, free, static_cast<double>(view_.free + view_.planned.atMost));
    p.setPen(QPen(face().ink, 1, Qt::DashLine));
    p.drawRect(held);
    label(list.size() + 1, held.top(),
          tr("at most %1").arg(say(&Words::bytes, view_.free + view_.planned.atMost)));
  }
  paintTargetNames(p, area);
  paintFocus(p, QRectF(rect()).adjusted(1, 1, -2, -2));
}

void Staircase::mousePressEvent(QMouseEvent* event) {
  const auto list = steps();
  for (qsizetype i = 0; i < rects_.size() && i < list.size(); ++i)
    if (rects_[i].adjusted(-4, -24, 4, 400).contains(event->position()) && list[i].line >= 0) {
      setCurrent(list[i].line);
      Q_EMIT stepPicked(list[i].line);
      return;
    }
}

void Staircase::keyPressEvent(QKeyEvent* event) {
  const int by = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
  if (by == 0) return Chart::keyPressEvent(event);
  const auto list = steps();
  qsizetype at = -1;
  for (qsizetype i = 0; i < list.size(); ++i)
    if (list[i].line == current_) at = i;
  at = std::clamp<qsizetype>(at + by, 0, list.size() - 1);
  if (list.isEmpty() || list[at].line < 0) return;
  setCurrent(list[at].line);
  Q_EMIT stepPicked(list[at].line);
}

}  // namespace zt::desktop
