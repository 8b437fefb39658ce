// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/age_size_grid.h"

#include <QtWidgets>
#include <cmath>

#include "desktop/style/look.h"

namespace zt::desktop {

AgeSizeGrid::AgeSizeGrid(QWidget* parent) : Chart(parent) {
  setObjectName(QStringLiteral("ageSizeGrid"));
  setProperty("word", QStringLiteral("field"));
  setAccessibleName(tr("Age by size field"));
  setMinimumSize(420, 320);
}

QString AgeSizeGrid::sizeName(int band) {
  if (band == bands - 1) return tr("bigger");
  return tr("< %1").arg(say(&Words::bytes, sizeBandEnds[static_cast<std::size_t>(band)])
                            .replace(QStringLiteral(".0 "), QStringLiteral(" ")));
}

void AgeSizeGrid::findLargest() {
  largest_ = 0;
  for (const auto& row : cells_)
    for (const auto& cell : row) largest_ = std::max(largest_, cell.bytes);
}

void AgeSizeGrid::show(const FieldCells& cells) {
  cells_ = cells;
  live_ = false;
  anchor_ = cursor_ = {-1, -1};
  findLargest();
  twinChanged();
  update();
  Q_EMIT pickChanged();
}

void AgeSizeGrid::showLive(const AgeSizeField& field) {
  live_ = true;
  anchor_ = cursor_ = {-1, -1};
  for (std::size_t a = 0; a < bands; ++a)
    for (std::size_t s = 0; s < bands; ++s) {
      const auto& from = field.cells[a][s];
      FieldCell& cell = cells_[a][s];
      cell = {from.bytes, from.files, {}};
      cell.by[static_cast<std::size_t>(Standing::unjudged)] = from.bytes;
    }
  findLargest();
  twinChanged();
  update();
}

QString AgeSizeGrid::tableTwin() const {
  QString text = tr("age");
  for (int s = 0; s < bands; ++s) text += QLatin1Char('\t') + sizeName(s);
  for (int a = 0; a < bands; ++a) {
    text += QLatin1Char('\n') + say(&Words::ageBand, static_cast<AgeBand>(a));
    for (int s = 0; s < bands; ++s)
      text += QLatin1Char('\t') +
              QString::number(cells_[static_cast<std::size_t>(a)][static_cast<std::size_t>(s)].bytes);
  }
  return text;
}

QRectF AgeSizeGrid::gridRect() const {
  return {78, 28, width() - 82.0, height() - 32.0};
}

QPoint AgeSizeGrid::cellAt(const QPointF& pos) const {
  const QRectF g = gridRect();
  if (!g.contains(pos)) return {-1, -1};
  return {std::min(bands - 1, static_cast<int>((pos.x() - g.left()) / g.width() * bands)),
          std::min(bands - 1, static_cast<int>((pos.y() - g.top()) / g.height() * bands))};
}

bool AgeSizeGrid::isPicked(int age, int size) const {
  if (anchor_.x() < 0) return false;
  const auto between = [](int v, int a, int b) { return v >= std::min(a, b) && v <= std::max(a, b); };
  return between(size, anchor_.x(), cursor_.x()) && between(age, anchor_.y(), cursor_.y());
}

void AgeSizeGrid::paintCell(QPainter& p, const QRectF& rect, const FieldCell& cell) {
  if (cell.bytes == 0 || largest_ == 0) return;
  // The block leaves a strip at the foot for its figure, so that figures never lie on a block.
  const QRectF room = rect.adjusted(3, 3, -3, -17);
  const double share = std::sqrt(static_cast<double>(cell.bytes) / static_cast<double>(largest_));
  QSizeF size(std::max(3.0, room.width() * share), std::max(3.0, room.height() * share));
  QRectF block({0, 0}, size);
  block.moveCenter(room.center());
  double x = block.left();
  for (int i = 0; i < standings; ++i) {
    const Bytes part = cell.by[static_cast<std::size_t>(i)];
    const double width = block.width() * static_cast<double>(part) / static_cast<double>(cell.bytes);
    if (width >= 0.5)
      fillStratum(p, QRectF(x, block.top(), width, block.height()), stratumOf(static_cast<Standing>(i)));
    x += width;
  }
  p.setPen(QPen(face().line, 1));
  p.setBrush(Qt::NoBrush);
  p.drawRect(block);
  if (cell.bytes * 200 >= largest_)
    drawText(p, QRectF(rect.left(), rect.bottom() - 17, rect.width(), 15), Qt::AlignHCenter,
             say(&Words::bytes, cell.bytes), typeface(Type::small), face().ink);
}

void AgeSizeGrid::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const QRectF g = gridRect();
  const double w = g.width() / bands;
  const double h = g.height() / bands;
  const bool tight = QFontMetricsF(typeface(Type::small)).horizontalAdvance(sizeName(bands / 2)) > w;
  for (int i = 0; i < bands; ++i) {
    QString size = sizeName(i);
    if (tight) size.remove(QStringLiteral("< "));
    drawText(p, QRectF(g.left() + w * i, 4, w, 20), Qt::AlignHCenter, size, typeface(Type::small),
             face().secondInk);
    drawText(p, QRectF(0, g.top() + h * i, g.left() - 8, h), Qt::AlignRight | Qt::AlignVCenter,
             say(&Words::ageBand, static_cast<AgeBand>(i)), typeface(Type::small), face().secondInk);
  }
  for (int age = 0; age < bands; ++age)
    for (int size = 0; size < bands; ++size) {
      const QRectF rect(g.left() + w * size, g.top() + h * age, w, h);
      if (isPicked(age, size)) p.fillRect(rect, face().picked);
      p.setPen(QPen(face().rule, 1));
      p.setBrush(Qt::NoBrush);
      p.drawRect(rect);
      paintCell(p, rect, cells_[static_cast<std::size_t>(age)][static_cast<std::size_t>(size)]);
    }
  if (anchor_.x() >= 0) {
    const QRect cells = QRect(anchor_, QSize(1, 1)).united(QRect(cursor_, QSize(1, 1)));
    p.setPen(QPen(face().ink, 2.5));
    p.drawRect(QRectF(g.left() + w * cells.left(), g.top() + h * cells.top(), w * cells.width(),
                      h * cells.height()));
  }
  paintFocus(p, QRectF(rect()).adjusted(1, 1, -2, -2));
}

void AgeSizeGrid::mousePressEvent(QMouseEvent* event) {
  const QPoint cell = cellAt(event->position());
  if (live_ || cell.x() < 0 || event->button() != Qt::LeftButton) return;
  if ((event->modifiers() & Qt::ShiftModifier) == 0 || anchor_.x() < 0) anchor_ = cell;
  cursor_ = cell;
  update();
  Q_EMIT pickChanged();
}

void AgeSizeGrid::mouseMoveEvent(QMouseEvent* event) {
  const QPoint cell = cellAt(event->position());
  if (live_ || cell.x() < 0 || (event->buttons() & Qt::LeftButton) == 0 || cell == cursor_) return;
  cursor_ = cell;
  update();
  Q_EMIT pickChanged();
}

void AgeSizeGrid::keyPressEvent(QKeyEvent* event) {
  QPoint step;
  switch (event->key()) {
    case Qt::Key_Left:
      step = {-1, 0};
      break;
    case Qt::Key_Right:
      step = {1, 0};
      break;
    case Qt::Key_Up:
      step = {0, -1};
      break;
    case Qt::Key_Down:
      step = {0, 1};
      break;
    default:
      return Chart::keyPressEvent(event);
  }
  if (live_) return;
  const QPoint from = cursor_.x() < 0 ? QPoint(bands - 1, bands - 1) - step : cursor_;
  cursor_ = {std::clamp(from.x() + step.x(), 0, bands - 1), std::clamp(from.y() + step.y(), 0, bands - 1)};
  if ((event->modifiers() & Qt::ShiftModifier) == 0 || anchor_.x() < 0) anchor_ = cursor_;
  update();
  Q_EMIT pickChanged();
}

std::optional<FieldRange> AgeSizeGrid::picked() const {
  if (live_ || anchor_.x() < 0) return std::nullopt;
  const QRect cells = QRect(anchor_, QSize(1, 1)).united(QRect(cursor_, QSize(1, 1)));
  return FieldRange{static_cast<AgeBand>(cells.top()), static_cast<AgeBand>(cells.bottom()), cells.left(),
                    cells.right()};
}

QString AgeSizeGrid::pickedNote() const {
  if (anchor_.x() < 0) return tr("Pick cells: click, drag, or use the arrows.");
  Bytes bytes = 0;
  std::uint32_t files = 0;
  for (int a = 0; a < bands; ++a)
    for (int s = 0; s < bands; ++s)
      if (isPicked(a, s)) {
        bytes += cells_[static_cast<std::size_t>(a)][static_cast<std::size_t>(s)].bytes;
        files += cells_[static_cast<std::size_t>(a)][static_cast<std::size_t>(s)].files;
      }
  return tr("picked: %1 files, %2 occupied").arg(QLocale().toString(files), say(&Words::bytes, bytes));
}

}  // namespace zt::desktop
