// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/inside_view.h"

#include <QtWidgets>

#include "desktop/stations/station.h"
#include "desktop/style/look.h"

namespace zt::desktop {

/// A picture as large as there is room, never larger than it is.
class InsideView::Picture final : public QWidget {
public:
  explicit Picture(QWidget* parent) : QWidget(parent) { setMinimumSize(80, 1); }
  void show(const QImage& image) {
    image_ = image;
    update();
  }
  QSize sizeHint() const override { return image_.size().expandedTo({80, 60}); }

protected:
  void paintEvent(QPaintEvent*) override {
    if (image_.isNull()) return;
    const QSize size = image_.size().boundedTo(image_.size().scaled(this->size(), Qt::KeepAspectRatio));
    QPainter p(this);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(QRect(QPoint((width() - size.width()) / 2, 0), size), image_);
  }

private:
  QImage image_;
};

InsideView::InsideView(QWidget* parent) : QWidget(parent) {
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  note_ = noteLabel({}, this, "lookNote");
  note_->setWordWrap(true);
  box->addWidget(note_);
  pages_ = new QStackedWidget(this);
  text_ = new QPlainTextEdit(pages_);
  text_->setObjectName(QStringLiteral("lookText"));
  text_->setAccessibleName(tr("What is in it"));
  text_->setReadOnly(true);
  text_->setTabChangesFocus(true);
  picture_ = new Picture(pages_);
  picture_->setObjectName(QStringLiteral("lookPicture"));
  // It takes the room that is left: where there is little, what is known comes first.
  pages_->setMinimumHeight(1);
  pages_->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Ignored);
  pages_->addWidget(text_);
  pages_->addWidget(picture_);
  box->addWidget(pages_, 1);
}

void InsideView::show(const Result<Glimpse>& seen) {
  if (!seen) {
    clear();
    note_->setText(tr("Not looked inside: %1").arg(say(&Words::error, seen.error())));
    return;
  }
  const Peek& peek = seen->peek;
  const QString note =
      peek.whole ? tr("all of it, %1; its access time was not changed").arg(say(&Words::bytes, peek.length))
                 : tr("its first %1 of %2; its access time was not changed")
                       .arg(say(&Words::bytes, peek.head.size()), say(&Words::bytes, peek.length));
  if (!seen->picture.isNull()) {
    note_->setText(note);
    picture_->show(seen->picture);
    picture_->setAccessibleName(tr("Picture, %1 by %2").arg(seen->size.width()).arg(seen->size.height()));
    pages_->setCurrentWidget(picture_);
    pages_->show();
  } else if (peek.form == Peek::Form::text) {
    showText(QString::fromUtf8(peek.head.data(), static_cast<qsizetype>(peek.head.size())), note, false);
  } else {
    constexpr std::size_t mostBytes = 4096;
    showText(QString::fromStdString(hexTable(std::string_view(peek.head).substr(0, mostBytes))), note, true);
  }
}

void InsideView::showText(const QString& text, const QString& note, bool fixed) {
  note_->setText(note);
  // By a style sheet of its own, which a change of face leaves alone; a row of sixteen bytes fits beside
  // finds.
  const QString family = QFontDatabase::systemFont(QFontDatabase::FixedFont).family();
  text_->setStyleSheet(fixed ? QStringLiteral("QPlainTextEdit { font: 10px '%1'; }").arg(family) : QString());
  text_->setLineWrapMode(fixed ? QPlainTextEdit::NoWrap : QPlainTextEdit::WidgetWidth);
  text_->setPlainText(text);
  pages_->setCurrentWidget(text_);
  pages_->show();
}

void InsideView::clear() {
  note_->clear();
  text_->clear();
  picture_->show({});
  pages_->hide();
}

}  // namespace zt::desktop
