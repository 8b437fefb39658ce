// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>

class QLabel;
class QLineEdit;
class QListWidget;

namespace zt::desktop {

/// Our words and what they mean: one page, to be searched, no larger than the screen has room for. GUI
/// thread.
class WordBook final : public QDialog {
  Q_OBJECT
public:
  /// Opens at a word.
  WordBook(const QString& word, QWidget* parent);

  /// The word that a widget is about: the nearest "word" property on the way up.
  static QString wordOf(const QWidget* widget);

private:
  void fill(const QString& part);

  QLineEdit* search_;
  QListWidget* list_;
  QLabel* meaning_;
};

}  // namespace zt::desktop
