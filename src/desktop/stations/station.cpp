// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/station.h"

#include <QtWidgets>

#include "desktop/models/ledger_delegate.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

namespace {

/// A ledger whose chosen rows are copied as tab-separated text. It never shows half a row: what does not fit
/// at its foot is scrolled to.
class LedgerView final : public QTreeView {
public:
  using QTreeView::QTreeView;

protected:
  void drawRow(QPainter* painter, const QStyleOptionViewItem& option,
               const QModelIndex& index) const override {
    const bool cut = option.rect.bottom() >= viewport()->height();
    if (!cut || option.rect.top() <= 0) QTreeView::drawRow(painter, option, index);
  }
  void keyPressEvent(QKeyEvent* event) override {
    if (!event->matches(QKeySequence::Copy)) return QTreeView::keyPressEvent(event);
    QString text;
    for (const QModelIndex& row : selectionModel()->selectedRows()) {
      QStringList cells;
      for (int c = 0; c < model()->columnCount(); ++c)
        if (!isColumnHidden(c)) cells.append(row.siblingAtColumn(c).data().toString());
      text += cells.join(QLatin1Char('\t')) + QLatin1Char('\n');
    }
    if (!text.isEmpty()) QGuiApplication::clipboard()->setText(text);
  }
};

}  // namespace

Station::Station(Session& session, Prompter& prompter, QWidget* parent)
    : QWidget(parent), session_(session), desk_(session), prompter_(prompter) {}

QWidget* Station::setupPages(const char* objectName) {
  setObjectName(QLatin1String(objectName));
  pages_ = new QStackedWidget(this);
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(30, 14, 30, 10);
  outer->addWidget(pages_);
  waiting_ = new QLabel(this);
  waiting_->setObjectName(QStringLiteral("waiting"));
  waiting_->setAlignment(Qt::AlignCenter);
  waiting_->setWordWrap(true);
  waiting_->setForegroundRole(QPalette::PlaceholderText);
  pages_->addWidget(waiting_);
  auto* page = new QWidget(this);
  pages_->addWidget(page);
  return page;
}

void Station::showPage(bool work) {
  waiting_->setText(waitsFor());
  pages_->setCurrentIndex(work ? 1 : 0);
}

bool Station::workShown() const {
  return pages_->currentIndex() == 1;
}

QLabel* titleLabel(const QString& text, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setFont(typeface(Type::title));
  return label;
}

QLabel* noteLabel(const QString& text, QWidget* parent, const char* name) {
  auto* label = new QLabel(text, parent);
  QFont f = typeface(Type::small);
  f.setItalic(true);
  label->setFont(f);
  label->setForegroundRole(QPalette::PlaceholderText);
  label->setTextFormat(Qt::PlainText);
  if (name != nullptr) label->setObjectName(QLatin1String(name));
  return label;
}

QPushButton* button(const QString& text, const char* name, QWidget* parent, bool main) {
  auto* b = new QPushButton(text, parent);
  b->setObjectName(QLatin1String(name));
  b->setProperty("main", main);
  b->setAutoDefault(main);  // Enter does what the station is for
  return b;
}

QPushButton* linkButton(const QString& text, const char* name, QWidget* parent) {
  auto* b = button(text, name, parent);
  b->setProperty("link", true);
  b->setCursor(Qt::PointingHandCursor);
  return b;
}

QTreeView* ledgerView(const char* name, const QString& heard, QWidget* parent) {
  auto* tree = new LedgerView(parent);
  tree->setObjectName(QLatin1String(name));
  tree->setAccessibleName(heard);
  tree->setItemDelegate(new LedgerDelegate(tree));
  tree->setRootIsDecorated(false);
  tree->setUniformRowHeights(true);
  tree->setFrameShape(QFrame::NoFrame);
  tree->setAllColumnsShowFocus(true);
  tree->setSelectionBehavior(QAbstractItemView::SelectRows);
  tree->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  tree->setTextElideMode(Qt::ElideMiddle);
  tree->header()->setSectionsMovable(false);
  tree->header()->setStretchLastSection(false);
  tree->viewport()->setAutoFillBackground(false);
  return tree;
}

void chooseRow(QAbstractItemView* view, const QModelIndex& index) {
  view->selectionModel()->setCurrentIndex(index,
                                          QItemSelectionModel::ClearAndSelect | QItemSelectionModel::Rows);
  view->scrollTo(index, QAbstractItemView::EnsureVisible);
}

}  // namespace zt::desktop
