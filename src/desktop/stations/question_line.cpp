// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/question_line.h"

#include <QtWidgets>

#include "desktop/stations/station.h"
#include "desktop/style/look.h"

namespace zt::desktop {

QuestionLine::QuestionLine(const char* lineName, const QString& placeholder, QWidget* parent)
    : QWidget(parent) {
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  box->setSpacing(2);
  line_ = new QLineEdit(this);
  line_->setAccessibleName(tr("Question"));
  line_->setObjectName(QLatin1String(lineName));
  line_->setProperty("word", QStringLiteral("question"));
  line_->setPlaceholderText(placeholder);
  line_->setClearButtonEnabled(true);
  line_->setToolTip(tr(
      "Conditions separated by commas: over 1 GB · under 20 MB · older 1 y · newer 30 d · a kind (video) · a "
      "standing (spent, owner's call) · of NAME · in FOLDER · files · folders · not before any of them. "
      "Anything "
      "else is part of a name; \"in quotes\" it is taken literally."));
  box->addWidget(line_);
  echo_ = noteLabel({}, this, QByteArray(QByteArray(lineName) + "Echo").constData());
  echo_->setWordWrap(true);
  echo_->hide();
  box->addWidget(echo_);
  line_->installEventFilter(this);
  connect(line_, &QLineEdit::textChanged, this, &QuestionLine::read);
  connect(line_, &QLineEdit::returnPressed, this, &QuestionLine::entered);
}

void QuestionLine::setWords(QuestionWords words) {
  words.theirs = Look::ofApplication().words().asked(words.findKinds);
  words_ = std::move(words);
  if (!line_->text().isEmpty()) read();
}

void QuestionLine::setText(const QString& text) {
  line_->setText(text);
}

void QuestionLine::start() {
  line_->setFocus();
  line_->selectAll();
}

bool QuestionLine::hasKeyboard() const {
  return line_->hasFocus();
}

QString QuestionLine::text() const {
  return line_->text();
}

/// A list that opens over the line would take Enter and the arrows away from it.
bool QuestionLine::eventFilter(QObject* watched, QEvent* event) {
  if (watched != line_ || event->type() != QEvent::KeyPress) return QWidget::eventFilter(watched, event);
  const auto* key = static_cast<QKeyEvent*>(event);
  const bool tab = key->key() == Qt::Key_Tab && key->modifiers() == Qt::NoModifier;
  if (!tab || completions_.isEmpty() || line_->cursorPosition() != line_->text().size()) return false;
  line_->setText(completions_.front());
  return true;
}

void QuestionLine::read() {
  const std::string text = line_->text().trimmed().toStdString();
  const auto question = parseQuestion(text, words_);
  completions_.clear();
  for (const auto& word : completeQuestion(line_->text().toStdString(), words_))
    completions_.append(QString::fromStdString(word));
  echo_->setVisible(!text.empty());
  echo_->setText(question ? say(&Words::understood, *question)
                          : say(&Words::notUnderstood, question.error()));
  QPalette p = palette();
  if (!question) p.setColor(QPalette::PlaceholderText, face().red);
  echo_->setPalette(p);
  if (question) Q_EMIT asked(*question);
}

}  // namespace zt::desktop
