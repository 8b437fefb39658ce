// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QStackedWidget>

#include "desktop/session/glance.h"

class QLabel;
class QPlainTextEdit;

namespace zt::desktop {

/// What is in a file: its text, its picture, or its first bytes; or why it cannot be shown.
class InsideView final : public QWidget {
  Q_OBJECT
public:
  explicit InsideView(QWidget* parent = nullptr);
  void show(const Result<Glimpse>& seen);
  /// Text of other making; `fixed` in letters of one width.
  void showText(const QString& text, const QString& note, bool fixed);
  void clear();

private:
  class Picture;

  QLabel* note_;
  QStackedWidget* pages_;
  QPlainTextEdit* text_;
  Picture* picture_;
};

}  // namespace zt::desktop
