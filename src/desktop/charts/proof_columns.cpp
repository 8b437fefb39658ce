// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/proof_columns.h"

#include <QtWidgets>

#include "desktop/charts/column.h"
#include "desktop/style/look.h"

namespace zt::desktop {

ProofColumns::ProofColumns(QWidget* parent) : Chart(parent) {
  setObjectName(QStringLiteral("proofColumns"));
  setProperty("word", QStringLiteral("proof"));
  setAccessibleName(tr("Before, promised, actual"));
  setMinimumSize(420, 190);
}

void ProofColumns::show(const DrivePicture& picture, std::optional<Proof> proof) {
  view_ = picture;
  proof_ = std::move(proof);
  twinChanged();
}

QString ProofColumns::tableTwin() const {
  if (!proof_) return {};
  const Proof& p = *proof_;
  return tr("free before\t%1\nfree promised\t%2\nfree now\t%3\n")
      .arg(say(&Words::exact, p.freeBefore), say(&Words::exact, p.freeBefore + p.promised),
           say(&Words::exact, p.freeAfter));
}

void ProofColumns::paintEvent(QPaintEvent*) {
  if (!proof_) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Proof& proof = *proof_;
  const std::array<Bytes, 3> free{proof.freeBefore, proof.freeBefore + proof.promised, proof.freeAfter};
  const std::array<QString, 3> names{tr("before"), tr("promised"), tr("actual")};
  Bytes deepest = *std::max_element(free.begin(), free.end());
  for (const Target& t : view_.targets)
    if (t.chosen) deepest = std::max(deepest, t.bytes);
  // The loupe: from the top of the drive down to a little below the deepest mark.
  const double depth =
      std::min(static_cast<double>(deepest) * 1.35 + 1, static_cast<double>(view_.drive.usage.capacity) + 1);
  const QRectF area(0, 12, width(), height() - 36.0);
  const double slot = std::min(190.0, width() / 3.0);
  const auto at = [&](Bytes bytes) {
    return area.top() + area.height() * std::min(1.0, static_cast<double>(bytes) / depth);
  };
  for (std::size_t i = 0; i < 3; ++i) {
    const double x = slot * static_cast<double>(i) + 8;
    const QRectF column(x, area.top(), 46, area.height());
    fillStratum(p, column, i == 1 ? Stratum::unknown : Stratum::ownersCall);
    p.fillRect(QRectF(x, area.top(), 46, at(free[i]) - area.top()), face().free);
    p.setPen(QPen(face().line, 1.6));
    p.setBrush(Qt::NoBrush);
    p.drawLine(column.topLeft(), column.topRight());
    p.drawLine(column.topLeft(), column.bottomLeft());
    p.drawLine(column.topRight(), column.bottomRight());
    p.drawLine(QPointF(x, at(free[i])), QPointF(x + 46, at(free[i])));
    // The drive goes on below the loupe.
    p.setPen(QPen(face().line, 1.2, Qt::DotLine));
    p.drawLine(column.bottomLeft(), column.bottomRight());
    for (const Target& t : view_.targets) {
      if (!t.chosen) continue;
      p.setPen(QPen(face().red, 1.6));
      p.drawLine(QPointF(x - 6, at(t.bytes)), QPointF(x + 52, at(t.bytes)));
    }
    drawText(p, QRectF(x + 60, area.top(), slot - 62, 26), Qt::AlignLeft, say(&Words::bytes, free[i]),
             typeface(Type::title), face().ink);
    drawText(p, QRectF(x + 60, area.top() + 24, slot - 62, 18), Qt::AlignLeft, names[i],
             typeface(Type::small), face().secondInk);
  }
  QFont italic = typeface(Type::small);
  italic.setItalic(true);
  drawText(
      p, QRectF(8, height() - 20, width() - 10, 18), Qt::AlignLeft,
      tr("the top %1 of %2, enlarged")
          .arg(say(&Words::bytes, static_cast<Bytes>(depth)), say(&Words::bytes, view_.drive.usage.capacity)),
      italic, face().secondInk);
  paintFocus(p, QRectF(rect()).adjusted(1, 1, -2, -2));
}

}  // namespace zt::desktop
