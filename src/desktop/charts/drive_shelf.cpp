// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/charts/drive_shelf.h"

#include <QtWidgets>

#include "desktop/style/look.h"

namespace zt::desktop {

DriveShelf::DriveShelf(QWidget* parent) : Chart(parent) {
  setObjectName(QStringLiteral("shelf"));
  setProperty("word", QStringLiteral("bench"));
  setAccessibleName(tr("Drives at hand"));
  setMinimumHeight(275);
}

void DriveShelf::show(QList<ShelfDrive> drives, int chosen) {
  drives_ = std::move(drives);
  chosen_ = chosen;
  twinChanged();
}

QString DriveShelf::tableTwin() const {
  QString text = tr("drive\trole\tkind\tcapacity\tfree\turgency\n");
  for (const auto& d : drives_)
    text += QStringList{say(&Words::driveName, d.drive),
                        say(&Words::role, d.drive.role),
                        say(&Words::kind, d.drive.kind),
                        say(&Words::exact, d.drive.usage.capacity),
                        say(&Words::exact, d.drive.usage.available),
                        say(&Words::urgency, urgencyOf(d.drive, d.targets))}
                .join(QLatin1Char('\t')) +
            QLatin1Char('\n');
  return text;
}

int DriveShelf::first() const {
  return chosen_ < visible() ? 0 : chosen_ - visible() + 1;
}

int DriveShelf::at(const QPointF& pos) const {
  const int index = first() + static_cast<int>(pos.x()) / slotWidth;
  return index >= 0 && index < drives_.size() ? index : -1;
}

void DriveShelf::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const int last = std::min(static_cast<int>(drives_.size()), first() + visible());
  for (int i = first(); i < last; ++i) paintDrive(p, i);
  p.setPen(QPen(face().ink, 2));
  const double shelf = height() - 84;
  p.drawLine(QPointF(0, shelf), QPointF(width(), shelf));
  if (drives_.isEmpty())
    drawText(p, QRectF(0, shelf / 2, width(), 24), Qt::AlignLeft, tr("Looking for drives…"),
             typeface(Type::body), face().secondInk);
  const auto hidden = drives_.size() - visible();
  if (hidden > 0)
    drawText(p, QRectF(width() - 260, height() - 20, 256, 18), Qt::AlignRight,
             tr("%1 more: use the arrows").arg(hidden), typeface(Type::small), face().secondInk);
}

void DriveShelf::paintDrive(QPainter& p, int index) {
  const ShelfDrive& d = drives_[index];
  const double x = (index - first()) * slotWidth;
  const double shelf = height() - 84;
  if (index == chosen_) {
    const QRectF back(x, 0, slotWidth - 12, height() - 4);
    p.fillRect(back, face().picked);
    paintFocus(p, back.adjusted(3, 3, -3, -3));
  }
  const QRectF column(x + 38, 22, 44, shelf - 22);
  paintColumn(p, column, d.blocks, d.drive.usage.capacity);
  for (const Target& t : d.targets) {
    if (!t.chosen || d.drive.usage.capacity == 0) continue;
    const double y = column.top() + column.height() * static_cast<double>(t.bytes) /
                                        static_cast<double>(d.drive.usage.capacity);
    p.setPen(QPen(face().red, 1.4));
    p.drawLine(QPointF(column.left() - 6, y), QPointF(column.right(), y));
  }
  const SpaceUsage& u = d.drive.usage;
  const double text = x + 94;
  const double room = slotWidth - 110;
  const auto line = [&](double y, const QString& s, Type type, const QColor& ink) {
    drawText(p, QRectF(text, y, room, 22), Qt::AlignLeft | Qt::AlignVCenter, s, typeface(type), ink);
  };
  line(24, tr("%1 free").arg(say(&Words::bytes, u.available)), Type::strong, face().ink);
  line(46, tr("of %1").arg(say(&Words::bytes, u.capacity)), Type::small, face().secondInk);
  const double share = u.capacity == 0 ? 0
                                       : 100.0 * static_cast<double>(u.capacity - u.available) /
                                             static_cast<double>(u.capacity);
  line(64, tr("%1 % used").arg(share, 0, 'f', 0), Type::small, face().secondInk);
  const Urgency urgency = urgencyOf(d.drive, d.targets);
  const bool alarm = urgency == Urgency::emergency || urgency == Urgency::cramped;
  line(96, say(&Words::urgency, urgency), Type::body, alarm ? face().red : face().secondInk);
  if (const Target* t = hardest(d.targets); t != nullptr && t->bytes > u.available) {
    line(116, tr("%1 short of").arg(say(&Words::bytes, t->bytes - u.available)), Type::small, face().red);
    line(132, say(&Words::targetName, *t), Type::small, face().red);
  }
  if (u.reserved() > 0)
    line(152, tr("%1 reserved").arg(say(&Words::bytes, u.reserved())), Type::small, face().secondInk);
  if (d.drive.readOnly) line(170, tr("read-only"), Type::small, face().secondInk);
  const QRectF below(x + 14, shelf + 8, slotWidth - 34, 20);
  drawText(p, below, Qt::AlignLeft, say(&Words::driveName, d.drive), typeface(Type::strong), face().ink);
  QString what = say(&Words::role, d.drive.role) + QStringLiteral(" · ") + say(&Words::kind, d.drive.kind);
  if (d.standIn) what += tr(" · stand-in");
  if (d.drive.twin) what += tr(" · which one?");
  drawText(p, below.translated(0, 21), Qt::AlignLeft, what, typeface(Type::small), face().secondInk);
  drawText(p, below.translated(0, 38), Qt::AlignLeft,
           d.drive.systemName.empty() ? d.measured : QString::fromStdString(d.drive.systemName),
           typeface(Type::small), face().secondInk);
  if (!d.drive.systemName.empty())
    drawText(p, below.translated(0, 55), Qt::AlignLeft, d.measured, typeface(Type::small), face().secondInk);
}

void DriveShelf::mousePressEvent(QMouseEvent* event) {
  if (const int index = at(event->position()); index >= 0 && index != chosen_) Q_EMIT choose(index);
}

void DriveShelf::mouseDoubleClickEvent(QMouseEvent* event) {
  if (const int index = at(event->position()); index >= 0) Q_EMIT activated(index);
}

void DriveShelf::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Right && chosen_ + 1 < drives_.size())
    Q_EMIT choose(chosen_ + 1);
  else if (event->key() == Qt::Key_Left && chosen_ > 0)
    Q_EMIT choose(chosen_ - 1);
  else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && chosen_ >= 0)
    Q_EMIT activated(chosen_);
  else
    Chart::keyPressEvent(event);
}

}  // namespace zt::desktop
