// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/style/palette.h"

#include <QApplication>
#include <QPainter>
#include <QPainterPath>

namespace zt::desktop {

Stratum stratumOf(Standing standing) {
  return static_cast<Stratum>(standing);
}

const Face& Face::light() {
  static const Face face{false,
                         QColor(0xF6F1E6),
                         QColor(0xEEE7D8),
                         QColor(0xCDC3AF),
                         QColor(0x23272B),
                         QColor(0x595D61),
                         QColor(0xAB3128),
                         QColor(0xFCFAF4),
                         QColor(0xE3D9C2),
                         QColor(0x2E3338)};
  return face;
}

const Face& Face::slate() {
  static const Face face{true,
                         QColor(0x23282D),
                         QColor(0x2B3137),
                         QColor(0x4A525A),
                         QColor(0xECE7DB),
                         QColor(0xB3B5B4),
                         QColor(0xF3A096),
                         QColor(0x343B42),
                         QColor(0x3D464E),
                         QColor(0xC9C6BC)};
  return face;
}

QColor Face::tone(Stratum stratum) const {
  QColor tone;
  switch (stratum) {
    case Stratum::bedrock:
      tone = QColor(0x4B5158);
      break;
    case Stratum::kept:
      tone = QColor(0x74837F);
      break;
    case Stratum::unjudged:
      tone = QColor(0xC4BBA8);
      break;
    case Stratum::ownersCall:
      tone = QColor(0xC89A58);
      break;
    case Stratum::rebuilds:
      tone = QColor(0x8CA277);
      break;
    case Stratum::spent:
      tone = QColor(0xD6A48B);
      break;
    case Stratum::points:
      tone = QColor(0x7F9CAB);
      break;
    case Stratum::notInFiles:
      tone = QColor(0x8E8AA0);
      break;
    case Stratum::free:
    case Stratum::planned:
      return free;
    case Stratum::unknown:
      return panel;
  }
  if (!dark) return tone;
  return stratum == Stratum::bedrock ? QColor(0x171A1D) : tone.darker(135);
}

void applyFace(QApplication& app, const Face& f) {
  QPalette p;
  for (const auto role : {QPalette::Window, QPalette::Base, QPalette::ToolTipBase}) p.setColor(role, f.paper);
  p.setColor(QPalette::AlternateBase, f.panel);
  p.setColor(QPalette::Button, f.panel);
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText})
    p.setColor(role, f.ink);
  p.setColor(QPalette::PlaceholderText, f.secondInk);
  p.setColor(QPalette::Highlight, f.picked);
  p.setColor(QPalette::HighlightedText, f.ink);
  p.setColor(QPalette::Mid, f.rule);
  p.setColor(QPalette::Dark, f.rule);
  p.setColor(QPalette::Link, f.ink);
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText})
    p.setColor(QPalette::Disabled, role, f.dark ? QColor(0x80868B) : QColor(0x8E8B82));
  app.setPalette(p);
  // Platform themes give some widgets fonts of their own; ours is one for all.
  app.setFont(typeface(Type::body));
  for (const char* type : {"QPushButton", "QHeaderView", "QMenuBar", "QMenu", "QLineEdit",
                           "QAbstractItemView", "QLabel", "QCheckBox", "QListWidget"})
    QApplication::setFont(typeface(std::string_view(type) == "QHeaderView" ? Type::small : Type::body), type);
  const auto name = [](const QColor& c) { return c.name(); };
  app.setStyleSheet(
      QStringLiteral(
          "QMainWindow,QDialog{background:%1}"
          "QMenuBar{background:%2;color:%3} "
          "QMenuBar::item:selected,QMenu::item:selected{background:%5;color:%3}"
          "QMenu{background:%2;color:%3;border:1px solid %4}"
          "QPushButton{background:%2;color:%3;border:1px solid %4;padding:6px 14px;border-radius:0}"
          "QPushButton:hover{border-color:%3} QPushButton:focus{border:2px solid %3;padding:5px 13px}"
          "QPushButton:disabled{color:%6;border-color:%4}"
          "QPushButton[main=\"true\"]{background:%3;color:%1;font-weight:bold;border:1px solid %3}"
          "QPushButton[main=\"true\"]:focus{border:3px double %1}"
          "QPushButton[main=\"true\"]:disabled{background:%4;color:%6;border-color:%4}"
          "QPushButton[link=\"true\"]{background:transparent;border:0;border-bottom:1px solid %4;padding:2px "
          "0;text-align:left}"
          "QPushButton[link=\"true\"]:checked{border-bottom:3px solid %3}"
          "QPushButton[link=\"true\"]:focus,QPushButton[link=\"true\"]:hover{border-bottom:2px solid %3}"
          "QLineEdit{background:%7;color:%3;border:0;border-bottom:1px solid %4;padding:4px}"
          "QLineEdit:focus{border-bottom:2px solid %3}"
          "QTreeView,QTableView,QListView{background:transparent;color:%3;border:0;outline:0;selection-"
          "background-color:%5;"
          "selection-color:%3}"
          "QTreeView::indicator,QCheckBox::indicator{width:13px;height:13px;border:1px solid "
          "%3;background:%7}"
          "QTreeView::indicator:checked,QCheckBox::indicator:checked{image:url(:/icons/tick-%8.svg)}"
          "QCheckBox:focus{border:1px dotted %3}"
          "QTreeView:focus,QListView:focus{border-left:2px solid %3}"
          "QHeaderView{background:transparent;border:0} "
          "QHeaderView::down-arrow{image:url(:/icons/sort-down-%8.svg);width:10px;height:10px;"
          "subcontrol-position:center left} "
          "QHeaderView::up-arrow{image:url(:/icons/sort-up-%8.svg);width:10px;height:10px;"
          "subcontrol-position:center left} "
          "QHeaderView::section{background:transparent;color:%6;border:0;"
          "border-bottom:1px solid %4;padding:3px 0 3px 6px;font-weight:normal}"
          "QScrollBar:vertical{background:transparent;width:10px} "
          "QScrollBar::handle:vertical{background:%4;min-height:24px}"
          "QScrollBar::add-line,QScrollBar::sub-line{height:0;width:0} "
          "QScrollBar:horizontal{background:transparent;height:10px}"
          "QScrollBar::handle:horizontal{background:%4;min-width:24px}"
          "QToolTip{background:%2;color:%3;border:1px solid %4} QCheckBox{spacing:8px} "
          "QSplitter::handle{background:%4}")
          .arg(name(f.paper), name(f.panel), name(f.ink), name(f.rule), name(f.picked), name(f.secondInk),
               name(f.free), f.dark ? QStringLiteral("dark") : QStringLiteral("light")));
}

namespace {

void slanted(QPainter& p, const QRectF& r, double gap, bool back) {
  for (double x = r.left() - r.height(); x < r.right(); x += gap)
    p.drawLine(QPointF(x, back ? r.top() : r.bottom()), QPointF(x + r.height(), back ? r.bottom() : r.top()));
}

void strokes(QPainter& p, const QRectF& r, QPointF stroke, double dx, double dy) {
  int row = 0;
  for (double y = r.top() + 3; y < r.bottom(); y += dy, ++row)
    for (double x = r.left() + 3 + (row % 2) * dx / 2; x < r.right(); x += dx)
      p.drawLine(QPointF(x, y), QPointF(x, y) + stroke);
}

}  // namespace

void fillStratum(QPainter& painter, const QRectF& rect, Stratum stratum) {
  const Face& f = face();
  painter.save();
  painter.setClipRect(rect, Qt::IntersectClip);
  painter.fillRect(rect, f.tone(stratum));
  QColor mark =
      f.dark && stratum != Stratum::bedrock ? f.tone(stratum).darker(170) : f.tone(stratum).darker(128);
  if (stratum == Stratum::bedrock) mark = f.tone(stratum).lighter(f.dark ? 260 : 135);
  if (stratum == Stratum::kept) mark = f.tone(stratum).lighter(135);
  if (stratum == Stratum::planned) mark = f.red;
  if (stratum == Stratum::unknown) mark = f.secondInk;
  painter.setPen(QPen(mark, 1));
  painter.setRenderHint(QPainter::Antialiasing, true);
  switch (stratum) {
    case Stratum::bedrock:
      slanted(painter, rect, 9, false), slanted(painter, rect, 9, true);
      break;
    case Stratum::kept:
      for (double y = rect.top() + 4; y < rect.bottom(); y += 5)
        painter.drawLine(QPointF(rect.left(), y), QPointF(rect.right(), y));
      break;
    case Stratum::unjudged:
      strokes(painter, rect, QPointF(1, 0), 6, 5);
      break;
    case Stratum::ownersCall:
      slanted(painter, rect, 8, false);
      break;
    case Stratum::rebuilds:
      strokes(painter, rect, QPointF(0, 4), 6, 7);
      break;
    case Stratum::spent:
      strokes(painter, rect, QPointF(5, 0), 10, 5);
      break;
    case Stratum::points:
      for (double x = rect.left() + 4; x < rect.right(); x += 6)
        painter.drawLine(QPointF(x, rect.top()), QPointF(x, rect.bottom()));
      break;
    case Stratum::notInFiles:
      slanted(painter, rect, 5, false), slanted(painter, rect, 5, true);
      break;
    case Stratum::planned:
      slanted(painter, rect, 5, false);
      break;
    case Stratum::unknown:
      slanted(painter, rect, 14, true);
      break;
    case Stratum::free:
      break;
  }
  painter.restore();
}

QFont typeface(Type type) {
  QFont f(QStringLiteral("Lato"));
  f.setStyleHint(QFont::SansSerif);
  switch (type) {
    case Type::small:
      f.setPixelSize(12);
      break;
    case Type::body:
      f.setPixelSize(14);
      break;
    case Type::strong:
      f.setPixelSize(15), f.setWeight(QFont::Bold);
      break;
    case Type::title:
      f.setPixelSize(17), f.setWeight(QFont::Bold);
      break;
    case Type::figure:
      f.setPixelSize(22), f.setWeight(QFont::Bold);
      break;
  }
  return f;
}

}  // namespace zt::desktop
