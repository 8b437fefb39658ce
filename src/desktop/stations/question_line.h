// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "core/finds/question.h"

class QLabel;
class QLineEdit;
class QStringListModel;

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

private:
  void read();
  void complete(const QString& text);

  QuestionWords words_;
  QLineEdit* line_ = nullptr;
  QLabel* echo_ = nullptr;
  QStringListModel* completions_ = nullptr;
};

}  // namespace zt::desktop
