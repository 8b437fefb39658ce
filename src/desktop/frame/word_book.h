// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QPointF>
#include <QPointer>

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

private:
  void fill(const QString& part);

  QLineEdit* search_;
  QListWidget* list_;
  QLabel* meaning_;
};

/// Knows which word the person is at: under the pointer or under the keyboard's focus, whichever moved last.
/// A widget says its word in the property "word", a row of a table by Qt::WhatsThisRole, a column by its
/// heading where that is one of our words. GUI thread.
class WordFinder final : public QObject {
  Q_OBJECT
public:
  explicit WordFinder(QObject* parent);
  /// Empty where nothing has a word of its own.
  QString word() const;

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

private:
  QPointer<QWidget> pointed_;  ///< null when the keyboard was used last
  QPoint at_;                  ///< in `pointed_`
  QPointF last_;               ///< on the screen
};

}  // namespace zt::desktop
