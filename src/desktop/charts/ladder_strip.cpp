// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/ladder_strip.h"

#include <QtWidgets>
#include <numeric>

#include "desktop/style/language.h"
#include "desktop/style/look.h"

namespace zt::desktop {

namespace {
constexpr double barTop = 16, barHeight = 16, gap = 6, least = 58, nameLine = 15;
constexpr int usualHeight = 70;

QFont nameFont() {
  QFont bold = typeface(Type::small);
  bold.setBold(true);
  return bold;
}

/// A name in two lines that are as alike in width as its words allow.
QStringList inTwo(const QString& name, const QFontMetricsF& metrics) {
  QStringList best{name};
  double narrowest = metrics.horizontalAdvance(name);
  for (qsizetype at = name.indexOf(QLatin1Char(' ')); at > 0; at = name.indexOf(QLatin1Char(' '), at + 1)) {
    const QStringList parts{name.left(at), name.mid(at + 1)};
    const double width = std::max(metrics.horizontalAdvance(parts[0]), metrics.horizontalAdvance(parts[1]));
    if (width < narrowest) narrowest = width, best = parts;
  }
  return best;
}

double widthOf(const QStringList& lines, const QFontMetricsF& metrics) {
  double most = 0;
  for (const QString& line : lines) most = std::max(most, metrics.horizontalAdvance(line));
  return most;
}

/// What a rung of regret is made of, for its texture.
Stratum stratumOf(Regret regret) {
  switch (regret) {
    case Regret::none:
      return Stratum::spent;
    case Regret::timeOrBandwidth:
      return Stratum::rebuilds;
    case Regret::wayBack:
      return Stratum::points;
    default:
      return Stratum::ownersCall;
  }
}
}  // namespace

LadderStrip::LadderStrip(QWidget* parent) : Chart(parent) {
  setObjectName(QStringLiteral("ladder"));
  setProperty("word", QStringLiteral("ladder"));
  setAccessibleName(tr("The ladder"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setFixedHeight(usualHeight);
}

void LadderStrip::show(const DrivePicture& picture, const Ladder& ladder, std::optional<Regret> taken) {
  view_ = picture;
  taken_ = taken;
  rungs_.clear();
  rungs_.append({tr("free today"),
                 say(&Words::bytes, picture.free),
                 {},
                 picture.free,
                 Stratum::free,
                 std::nullopt,
                 true,
                 false});
  for (std::size_t i = 0; i < ladder.rungs.size(); ++i) {
    const Ladder::Rung& rung = ladder.rungs[i];
    if (rung.steps == 0) continue;
    const auto regret = static_cast<Regret>(i);
    rungs_.append({say(&Words::regret, regret), QLatin1Char('+') + say(&Words::bytes, rung.adds),
                   counted(rung.steps, "1 step", "%1 steps"), rung.adds, stratumOf(regret), regret, true,
                   false});
  }
  if (ladder.laterSteps > 0)
    rungs_.append({tr("by its own system"), tr("up to %1").arg(say(&Words::bytes, ladder.later)),
                   tr("later, not sure"), ladder.later, Stratum::notInFiles, std::nullopt, false, false});
  if (ladder.decisions > 0)
    rungs_.append({tr("your decisions"), tr("up to %1").arg(say(&Words::bytes, ladder.decisionBytes)),
                   tr("%1 to look at").arg(ladder.decisions), ladder.decisionBytes, Stratum::unjudged,
                   std::nullopt, false, true});
  focused_ = std::min(focused_, static_cast<int>(rungs_.size()) - 1);
  fitHeight();
  twinChanged();
  update();
}

bool LadderStrip::namesInTwo() const {
  const QFontMetricsF metrics(nameFont());
  double wanted = 0;
  for (const Rung& r : rungs_)
    wanted +=
        std::max({least, metrics.horizontalAdvance(r.name), metrics.horizontalAdvance(r.amount)}) + 4 + gap;
  return wanted > width();
}

void LadderStrip::fitHeight() {
  setFixedHeight(usualHeight + (namesInTwo() ? static_cast<int>(nameLine) : 0));
}

void LadderStrip::resizeEvent(QResizeEvent* event) {
  Chart::resizeEvent(event);
  fitHeight();
}

QString LadderStrip::tableTwin() const {
  QString text = tr("rung\tadds\n");
  for (const Rung& r : rungs_)
    text += r.name + QLatin1Char('\t') + say(&Words::exact, r.bytes) + QLatin1Char('\n');
  return text;
}

/// As wide as what each adds, and wide enough for its name as far as there is room for all names.
QList<QRectF> LadderStrip::rects() const {
  const QFontMetricsF metrics(nameFont());
  const bool two = namesInTwo();
  const auto count = static_cast<double>(rungs_.size());
  QList<double> names;
  double wanted = 0, sum = 0;
  for (const Rung& r : rungs_) {
    const double name = two ? widthOf(inTwo(r.name, metrics), metrics) : metrics.horizontalAdvance(r.name);
    names.append(std::max({two ? 0 : least, name, metrics.horizontalAdvance(r.amount)}) + 4);
    wanted += names.last();
    sum += static_cast<double>(r.bytes);
  }
  const double all = std::max(0.0, width() - 2 - gap * (count - 1));
  const double shrink = wanted > all ? all / wanted : 1;
  const double room = std::max(0.0, all - wanted);
  QList<QRectF> rects;
  double x = 1;
  for (qsizetype i = 0; i < rungs_.size(); ++i) {
    const double share = sum > 0 ? static_cast<double>(rungs_[i].bytes) / sum : 1 / count;
    const double w = names[i] * shrink + room * share;
    rects.append(QRectF(x, barTop, w, barHeight));
    x += w + gap;
  }
  return rects;
}

/// Where free space would be so much, climbing rung by rung.
double LadderStrip::placeOf(Bytes freeThen) const {
  const auto all = rects();
  Bytes from = 0;
  for (qsizetype i = 0; i < rungs_.size(); ++i) {
    const Bytes to = from + rungs_[i].bytes;
    if (freeThen <= to && rungs_[i].bytes > 0)
      return all[i].left() +
             all[i].width() * static_cast<double>(freeThen - from) / static_cast<double>(rungs_[i].bytes);
    from = to;
  }
  return -1;
}

void LadderStrip::paintEvent(QPaintEvent*) {
  if (rungs_.isEmpty()) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const auto all = rects();
  const QFont small = typeface(Type::small);
  const QFont bold = nameFont();
  const bool two = namesInTwo();
  for (qsizetype i = 0; i < rungs_.size(); ++i) {
    const Rung& rung = rungs_[i];
    const bool taken = rung.regret && taken_ && *rung.regret <= *taken_;
    if (!rung.sure) p.setOpacity(0.55);
    fillStratum(p, all[i], rung.stratum);
    p.setOpacity(1);
    p.setPen(QPen(face().line, 1, rung.sure ? Qt::SolidLine : Qt::DashLine));
    p.setBrush(Qt::NoBrush);
    p.drawRect(all[i]);
    if (taken || i == 0)
      p.fillRect(QRectF(all[i].left(), all[i].bottom() + 2, all[i].width(), 2.5), face().ink);
    const QRectF words(all[i].left(), all[i].bottom() + 5, all[i].width() + gap - 2, 17);
    const QStringList lines = two ? inTwo(rung.name, QFontMetricsF(bold)) : QStringList{rung.name};
    for (qsizetype l = 0; l < lines.size(); ++l)
      drawText(p, words.translated(0, nameLine * static_cast<double>(l)), Qt::AlignLeft, lines[l],
               taken || i == 0 ? bold : small, face().ink);
    drawText(p, words.translated(0, two ? 2 * nameLine : nameLine), Qt::AlignLeft, rung.amount, small,
             face().secondInk);
    if (i == focused_ && hasFocus()) paintFocus(p, all[i].adjusted(-2, -2, 2, two ? 51 : 36));
  }
  double free = 0;
  for (const Target& t : view_.targets) {
    const double x = t.chosen ? placeOf(t.bytes) : -1;
    if (x < 0) continue;
    p.setPen(QPen(face().red, 1.6));
    p.drawLine(QPointF(x, barTop - 4), QPointF(x, barTop + barHeight + 3));
    const QString text = say(&Words::targetName, t) + QLatin1Char(' ') + say(&Words::bytes, t.bytes);
    const double w = QFontMetricsF(bold).horizontalAdvance(text) + 4;
    const double left = std::clamp(x - w / 2, 0.0, std::max(0.0, width() - w));
    if (left < free) continue;
    drawText(p, QRectF(left, -1, w, 15), Qt::AlignLeft, text, bold, face().red);
    free = left + w + 10;
  }
}

int LadderStrip::rungAt(const QPointF& pos) const {
  const auto all = rects();
  for (qsizetype i = 0; i < all.size(); ++i)
    if (all[i].adjusted(0, -barTop, 0, 55).contains(pos)) return static_cast<int>(i);
  return -1;
}

void LadderStrip::pick(int rung) {
  if (rung < 0 || rung >= rungs_.size()) return;
  if (rungs_[rung].regret) Q_EMIT rungPicked(*rungs_[rung].regret);
  if (rungs_[rung].decisions) Q_EMIT decisionsPicked();
}

void LadderStrip::mousePressEvent(QMouseEvent* event) {
  focused_ = rungAt(event->position());
  pick(focused_);
  update();
}

void LadderStrip::mouseMoveEvent(QMouseEvent* event) {
  const int at = rungAt(event->position());
  const bool picks = at >= 0 && (rungs_[at].regret || rungs_[at].decisions);
  setCursor(picks ? Qt::PointingHandCursor : Qt::ArrowCursor);
  setToolTip(at < 0
                 ? QString()
                 : QStringLiteral("%1: %2%3%4")
                       .arg(rungs_[at].name, rungs_[at].amount,
                            rungs_[at].note.isEmpty() ? QString() : QStringLiteral(", "), rungs_[at].note));
}

void LadderStrip::keyPressEvent(QKeyEvent* event) {
  const int by = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
  const int last = static_cast<int>(rungs_.size()) - 1;
  if (by != 0 && last >= 0) {
    focused_ = std::clamp(focused_ + by, 0, last);
    return update();
  }
  if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Space) return pick(focused_);
  Chart::keyPressEvent(event);
}

}  // namespace zt::desktop
