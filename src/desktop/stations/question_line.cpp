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
  line_->setObjectName(QLatin1String(lineName));
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
  completions_ = new QStringListModel(this);
  auto* completer = new QCompleter(completions_, this);
  completer->setCompletionMode(QCompleter::UnfilteredPopupCompletion);
  line_->setCompleter(completer);
  connect(line_, &QLineEdit::textEdited, this, &QuestionLine::complete);
  connect(line_, &QLineEdit::textChanged, this, &QuestionLine::read);
  connect(line_, &QLineEdit::returnPressed, this, &QuestionLine::entered);
}

void QuestionLine::setWords(QuestionWords words) {
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

void QuestionLine::complete(const QString& text) {
  QStringList words;
  for (const auto& word : completeQuestion(text.toStdString(), words_))
    words.append(QString::fromStdString(word));
  completions_->setStringList(words);
}

void QuestionLine::read() {
  const std::string text = line_->text().trimmed().toStdString();
  const auto question = parseQuestion(text, words_);
  echo_->setVisible(!text.empty());
  echo_->setText(question ? say(&Words::understood, *question)
                          : say(&Words::notUnderstood, question.error()));
  QPalette p = palette();
  if (!question) p.setColor(QPalette::PlaceholderText, face().red);
  echo_->setPalette(p);
  if (question) Q_EMIT asked(*question);
}

}  // namespace zt::desktop
