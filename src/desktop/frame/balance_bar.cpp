// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/frame/balance_bar.h"

#include <QtWidgets>

#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

BalanceBar::BalanceBar(QWidget* parent) : Chart(parent) {
  setObjectName(QStringLiteral("balance"));
  setProperty("word", QStringLiteral("balance"));
  setAccessibleName(tr("Balance"));
  setFixedHeight(60);
}

void BalanceBar::show(const DrivePicture& view) {
  view_ = view;
  QStringList lines;
  if (view.shown) {
    lines.append(
        tr("free %1, planned %2").arg(say(&Words::exact, view.free), say(&Words::exact, view.planned.sure)));
    for (const Target& t : view.targets)
      if (t.chosen) lines.append(standOf(t));
    if (const QString note = say(&Words::refillNote, view.planned); !note.isEmpty()) lines.append(note);
  }
  setToolTip(lines.join(QLatin1Char('\n')));
  twinChanged();
}

QList<BalanceBar::Part> BalanceBar::parts() const {
  if (!view_.shown) return {};
  const Target* target = hardest(view_.targets);
  QList<Part> all;
  all.append({view_.running       ? tr("free now")
              : view_.freeAt == 0 ? tr("free")
              : view_.stale       ? tr("free, read %1").arg(clockTime(view_.freeAt))
                                  : tr("free, measured %1").arg(clockTime(view_.freeAt)),
              say(&Words::bytes, view_.free)});
  const PlannedGain& planned = view_.planned;
  const bool more = planned.atMost > planned.sure;
  const bool refills = planned.refills > 0 || !planned.refillKnown;
  all.append({view_.running ? tr("still to come, sure")
              : refills && planned.refillKnown
                  ? tr("planned, sure (%1 fill up the reserve)").arg(say(&Words::bytes, planned.refills))
              : refills ? tr("planned, sure (the reserve comes first)")
              : more    ? tr("planned, sure (at most %1)").arg(say(&Words::bytes, view_.planned.atMost))
                        : tr("planned, sure"),
              say(&Words::bytes, view_.planned.sure)});
  if (target == nullptr) return all;
  all.append({tr("target: %1").arg(say(&Words::targetName, *target)), say(&Words::bytes, target->bytes)});
  const SignedBytes now = surplus(*target, view_.free);
  const SignedBytes over = surplus(*target, view_.free + view_.planned.sure);
  all.append({view_.running && now >= 0 ? tr("met already; after the run")
              : view_.running           ? tr("after the run")
              : view_.planned.sure > 0  ? tr("after the plan")
                                        : tr("as it stands"),
              over >= 0 ? tr("%1 to spare").arg(say(&Words::signedBytes, over))
                        : tr("%1 short").arg(say(&Words::signedBytes, -over)),
              over < 0});
  return all;
}

/// A target and what is to spare of it, or short.
QString BalanceBar::standOf(const Target& t) const {
  const SignedBytes over = surplus(t, view_.free + view_.planned.sure);
  return say(&Words::targetName, t) + QStringLiteral(": ") +
         (over >= 0 ? tr("%1 to spare").arg(say(&Words::signedBytes, over))
                    : tr("%1 short").arg(say(&Words::signedBytes, -over)));
}

QStringList BalanceBar::others() const {
  QStringList all;
  const Target* most = hardest(view_.targets);
  for (const Target& t : view_.targets) {
    if (t.chosen && &t != most) all.append(standOf(t));
  }
  return all;
}

QString BalanceBar::tableTwin() const {
  const auto p = parts();
  if (p.isEmpty()) return tr("no drive chosen");
  QString text = tr("free %1 + planned %2").arg(p[0].figure, p[1].figure);
  if (p.size() > 3) text += tr(" − target %1 = %2").arg(p[2].figure, p[3].figure);
  return text;
}

void BalanceBar::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), face().panel);
  p.setPen(QPen(face().secondInk, 1.6));
  p.drawLine(QPointF(0, 0.8), QPointF(width(), 0.8));
  const auto all = parts();
  if (all.isEmpty()) {
    drawText(p, QRectF(30, 18, width() - 60, 24), Qt::AlignLeft,
             tr("Free + planned − target stands here as soon as a drive is chosen."), typeface(Type::body),
             face().secondInk);
    return;
  }
  static const QStringList signs{QStringLiteral("+"), QStringLiteral("\u2212"), QStringLiteral("=")};
  const QFontMetricsF big(typeface(Type::figure));
  const QFontMetricsF small(typeface(Type::small));
  double x = 30;
  for (qsizetype i = 0; i < all.size(); ++i) {
    const double w = std::max(big.horizontalAdvance(all[i].figure), small.horizontalAdvance(all[i].note)) + 4;
    drawText(p, QRectF(x, 6, w, 18), Qt::AlignLeft, all[i].note, typeface(Type::small), face().secondInk);
    drawText(p, QRectF(x, 23, w, 30), Qt::AlignLeft, all[i].figure, typeface(Type::figure),
             all[i].alarm ? face().red : face().ink);
    x += w + 8;
    if (i + 1 < all.size())
      drawText(p, QRectF(x, 23, 20, 30), Qt::AlignLeft, signs[i], typeface(Type::figure), face().secondInk);
    x += 28;
  }
  const double room = width() - x - 20;
  if (room > 90) {
    const auto rest = others();
    const QString text =
        rest.size() > 1 ? tr("%1 · %2 more").arg(rest[0]).arg(rest.size() - 1) : rest.join(QString());
    const bool shortOf = text.contains(tr("%1 short").arg(QString()).trimmed());
    // A sentence that has no room on one line goes on in the next.
    const auto cut = text.indexOf(QStringLiteral(": "));
    const bool two = cut > 0 && small.horizontalAdvance(text) > room;
    const QStringList lines = two ? QStringList{text.left(cut + 1), text.mid(cut + 2)} : QStringList{text};
    double y = two ? 5 : 10;
    for (const QString& line : lines) {
      drawText(p, QRectF(x, y, room, 18), Qt::AlignRight, line, typeface(Type::small),
               shortOf ? face().red : face().ink);
      y += 15;
    }
    drawText(p, QRectF(x, two ? y + 3 : 30, room, 18), Qt::AlignRight, say(&Words::baseNote),
             typeface(Type::small), face().secondInk);
  }
  paintFocus(p, QRectF(rect()).adjusted(3, 3, -4, -4));
}

}  // namespace zt::desktop
