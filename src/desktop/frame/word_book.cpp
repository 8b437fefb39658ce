// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/frame/word_book.h"

#include <QtWidgets>

#include "desktop/style/look.h"

namespace zt::desktop {

WordBook::WordBook(const QString& word, QWidget* parent) : QDialog(parent) {
  setObjectName(QStringLiteral("wordBook"));
  setWindowTitle(tr("Words of Zip Tally"));
  setAttribute(Qt::WA_DeleteOnClose);
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(22, 18, 22, 18);
  search_ = new QLineEdit(this);
  search_->setAccessibleName(tr("Part of a word"));
  search_->setObjectName(QStringLiteral("wordSearch"));
  search_->setPlaceholderText(tr("part of a word, or of what it means"));
  box->addWidget(search_);
  auto* row = new QHBoxLayout;
  list_ = new QListWidget(this);
  list_->setAccessibleName(tr("Words"));
  list_->setObjectName(QStringLiteral("wordList"));
  list_->setMaximumWidth(200);
  row->addWidget(list_);
  auto* page = new QScrollArea(this);
  page->setWidgetResizable(true);
  page->setFrameShape(QFrame::NoFrame);
  meaning_ = new QLabel;
  meaning_->setObjectName(QStringLiteral("wordMeaning"));
  meaning_->setWordWrap(true);
  meaning_->setTextFormat(Qt::PlainText);
  meaning_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
  meaning_->setContentsMargins(14, 4, 4, 4);
  meaning_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  page->setWidget(meaning_);
  row->addWidget(page, 1);
  box->addLayout(row, 1);
  const QRect room = screen()->availableGeometry();
  resize(std::min(640, room.width() - 60), std::min(420, room.height() - 80));
  connect(search_, &QLineEdit::textChanged, this, &WordBook::fill);
  connect(list_, &QListWidget::currentTextChanged, this, [this](const QString& current) {
    meaning_->setText(current.isEmpty() ? tr("No word of ours holds this.")
                                        : say(&Words::explain, current.toStdString()));
  });
  fill({});
  if (const auto found = list_->findItems(say(&Words::theirWord, word.toStdString()), Qt::MatchFixedString);
      !found.isEmpty())
    list_->setCurrentItem(found.front());
  list_->setFocus();
}

void WordBook::fill(const QString& part) {
  list_->clear();
  for (const std::string& word : Look::ofApplication().words().known())
    if (const QString text = QString::fromStdString(word);
        text.contains(part, Qt::CaseInsensitive) ||
        say(&Words::explain, word).contains(part, Qt::CaseInsensitive))
      list_->addItem(text);
  list_->setCurrentRow(0);
  if (list_->count() == 0) meaning_->setText(tr("No word of ours holds this."));
}

namespace {

bool isWord(const QString& text) {
  return !say(&Words::explain, text.toStdString()).isEmpty();
}

QString wordOfCell(const QModelIndex& cell) {
  if (!cell.isValid()) return {};
  const QString heading = cell.model()->headerData(cell.column(), Qt::Horizontal).toString();
  const QString row = cell.data(Qt::WhatsThisRole).toString();
  return !row.isEmpty() ? row : isWord(heading) ? heading : QString();
}

/// Of the nearest widget on the way up that has one.
QString wordOfWidget(const QWidget* widget) {
  for (; widget != nullptr; widget = widget->parentWidget())
    if (const QVariant word = widget->property("word"); word.isValid()) return word.toString();
  return {};
}

QString wordOfHeading(const QHeaderView& header, const QPoint& at) {
  const QString text = header.model()->headerData(header.logicalIndexAt(at), header.orientation()).toString();
  return isWord(text) ? text : QString();
}

QString wordUnder(const QWidget* widget, const QPoint& at) {
  QString word;
  if (const auto* header = qobject_cast<const QHeaderView*>(widget->parentWidget()))
    word = wordOfHeading(*header, at);
  else if (const auto* view = qobject_cast<const QAbstractItemView*>(widget->parentWidget()))
    word = wordOfCell(view->indexAt(at));
  return word.isEmpty() ? wordOfWidget(widget) : word;
}

}  // namespace

WordFinder::WordFinder(QObject* parent) : QObject(parent) {
  qApp->installEventFilter(this);
}

QString WordFinder::word() const {
  if (pointed_ != nullptr) return wordUnder(pointed_, at_);
  const QWidget* focus = QApplication::focusWidget();
  if (const auto* view = qobject_cast<const QAbstractItemView*>(focus))
    if (QString word = wordOfCell(view->currentIndex()); !word.isEmpty()) return word;
  return wordOfWidget(focus);
}

bool WordFinder::eventFilter(QObject* watched, QEvent* event) {
  const auto type = event->type();
  const bool points = type == QEvent::MouseMove || type == QEvent::HoverMove || type == QEvent::Enter ||
                      type == QEvent::MouseButtonPress;
  if (points && event->isSinglePointEvent()) {
    // What merely appears beneath a pointer at rest is entered too.
    const auto* moved = static_cast<QSinglePointEvent*>(event);
    auto* widget = qobject_cast<QWidget*>(watched);
    if (widget == nullptr || moved->globalPosition() == last_) return false;
    last_ = moved->globalPosition();
    pointed_ = widget;
    at_ = moved->position().toPoint();
  } else if (type == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->key() != Qt::Key_F1) {
    pointed_ = nullptr;
  }
  return false;
}

}  // namespace zt::desktop
