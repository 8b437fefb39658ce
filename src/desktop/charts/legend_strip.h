// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QStringList>
#include <QWidget>

namespace zt::desktop {

/// What the textures of the ribbons stand for: a small box and a name each, on one line. GUI thread.
class LegendStrip final : public QWidget {
  Q_OBJECT
public:
  explicit LegendStrip(QWidget* parent = nullptr);
  /// Names by number of the part; an empty one is left out.
  void show(const QStringList& parts);
  /// A sentence in place of the parts.
  void say(const QString& text);
  QString text() const;
  QSize sizeHint() const override { return {400, 20}; }

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  QStringList parts_;
  QString sentence_;
};

}  // namespace zt::desktop
