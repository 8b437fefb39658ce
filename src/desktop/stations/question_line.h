// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QStringList>
#include <QWidget>

#include "core/query/question.h"

class QLabel;
class QLineEdit;

namespace zt::desktop {

/// A line for a question in plain words; beneath it stands how it was understood, or what was not. Offers how
/// the condition at its end may go on. GUI thread.
class QuestionLine final : public QWidget {
  Q_OBJECT
public:
  QuestionLine(const char* lineName, const QString& placeholder, QWidget* parent);
  /// The words that questions may use; what is written is read anew.
  void setWords(QuestionWords words);
  void setText(const QString& text);
  void start();  ///< puts the keyboard there
  bool hasKeyboard() const;
  QString text() const;

Q_SIGNALS:
  void asked(const zt::Question& question);  ///< an empty one where nothing is written
  void entered();                            ///< Enter was pressed

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

private:
  void read();

  QuestionWords words_;
  QLineEdit* line_ = nullptr;
  QLabel* echo_ = nullptr;
  QStringList completions_;  ///< of the text as it stands; the first one is offered
};

}  // namespace zt::desktop
