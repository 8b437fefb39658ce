// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/survey/statement_page.h"

#include <QtWidgets>

#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

StatementPage::StatementPage(QWidget* parent) : Chart(parent) {
  setObjectName(QStringLiteral("statement"));
  setProperty("word", QStringLiteral("statement"));
  setAccessibleName(tr("Statement"));
  setFixedWidth(262);
}

void StatementPage::show(SurveyPtr survey) {
  survey_ = std::move(survey);
  twinChanged();
}

QList<StatementPage::Line> StatementPage::lines() const {
  QList<Line> all;
  if (!survey_) return all;
  const Statement& s = survey_->statement;
  for (std::size_t i = 0; i < statementLines; ++i) {
    const auto line = static_cast<StatementLine>(i);
    const bool always = line == StatementLine::free || line == StatementLine::files ||
                        (line == StatementLine::unexplained && s[StatementLine::elsewhere] == 0);
    if (s[line] == 0 && !always) continue;
    Line l{say(&Words::statementLine, line), {}, s[line], false};
    if (line == StatementLine::files)
      l.note = tr("%1 entries").arg(QLocale().toString(survey_->tree.entries()));
    if (line == StatementLine::elsewhere)
      l.note = survey_->partial ? tr("the measurement was stopped early") : tr("outside the measured folder");
    if (line == StatementLine::unexplained) {
      const Bytes used = survey_->usage.used();
      const double share =
          used == 0 ? 0 : 100.0 * std::abs(static_cast<double>(s[line])) / static_cast<double>(used);
      l.note = tr("%1 % of used").arg(QLocale().toString(share, 'f', 2));
      // Where the file system does not say what its own structures take, what is left over may be them.
      const bool silent = s.source(StatementLine::overhead) == LineSource::cannotItemise;
      l.alarm = share > 0.1 && !silent;
      if (silent) l.note += tr("; the file system's own may be in it");
    }
    all.append(l);
  }
  return all;
}

QString StatementPage::tableTwin() const {
  QString text;
  for (const Line& l : lines())
    text += l.name + QLatin1Char('\t') + QString::number(l.bytes) + QLatin1Char('\n');
  if (survey_)
    text +=
        tr("capacity") + QLatin1Char('\t') + QString::number(survey_->statement.capacity) + QLatin1Char('\n');
  return text;
}

void StatementPage::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  if (!survey_) {
    drawText(p, QRectF(0, 2, width(), 24), Qt::AlignLeft, tr("Statement"), typeface(Type::title), face().ink);
    drawText(p, QRectF(0, 26, width(), 18), Qt::AlignLeft, tr("set when all is counted"),
             typeface(Type::small), face().secondInk);
    return;
  }
  const double right = width() - 8;
  double y = 2;
  const auto amount = [&](double at, const QString& text, bool strong, const QColor& ink) {
    drawText(p, QRectF(110, at, right - 110, 22), Qt::AlignRight, text,
             typeface(strong ? Type::strong : Type::body), ink);
  };
  drawText(p, QRectF(0, y, right, 24), Qt::AlignLeft, tr("Statement"), typeface(Type::title), face().ink);
  QFont italic = typeface(Type::small);
  italic.setItalic(true);
  const Statement& s = survey_->statement;
  drawText(p, QRectF(0, y + 24, right, 18), Qt::AlignLeft,
           tr("what the %1 are, %2").arg(say(&Words::bytes, s.capacity), clockTime(survey_->finished)),
           italic, face().secondInk);
  y += 54;
  drawText(p, QRectF(0, y, 120, 22), Qt::AlignLeft, tr("capacity"), typeface(Type::strong), face().ink);
  amount(y, say(&Words::bytes, s.capacity), true, face().ink);
  p.setPen(QPen(face().secondInk, 1.2));
  p.drawLine(QPointF(0, y + 28), QPointF(right, y + 28));
  y += 36;
  for (const Line& l : lines()) {
    drawText(p, QRectF(0, y, 160, 22), Qt::AlignLeft, l.name, typeface(l.alarm ? Type::strong : Type::body),
             l.alarm ? face().red : face().ink);
    amount(y, say(&Words::signedBytes, l.bytes), l.alarm, l.alarm ? face().red : face().ink);
    y += 22;
    if (!l.note.isEmpty()) {
      drawText(p, QRectF(0, y - 2, right, 18), Qt::AlignLeft, l.note, typeface(Type::small),
               face().secondInk);
      y += 16;
    }
    y += 5;
  }
  p.setPen(QPen(face().secondInk, 1.2));
  p.drawLine(QPointF(0, y + 4), QPointF(right, y + 4));
  drawText(p, QRectF(0, y + 10, 120, 22), Qt::AlignLeft, tr("sum"), typeface(Type::strong), face().ink);
  amount(y + 10, say(&Words::signedBytes, s.sum()), true, face().ink);
  for (const double at : {y + 36, y + 39}) p.drawLine(QPointF(right - 90, at), QPointF(right, at));
  paintFocus(p, QRectF(rect()).adjusted(0, 0, -1, -1));
}

}  // namespace zt::desktop
