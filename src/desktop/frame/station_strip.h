// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QList>
#include <QWidget>

namespace zt::desktop {

/// The stations along the top, in the order of the work, on one line, each with its live figure. Beneath it a
/// thin line of progress.
class StationStrip final : public QWidget {
  Q_OBJECT
public:
  struct Item {
    QString name;
    QString figure;
    bool reached = false;
  };
  explicit StationStrip(QWidget* parent = nullptr);
  void show(QList<Item> items, int current);
  /// 0…1; below 0 hides the line, above 1 shows it without a known end.
  void setProgress(double share, const QString& note);
  QSize sizeHint() const override { return {900, 92}; }

Q_SIGNALS:
  void chosen(int station);

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

private:
  double slot() const;
  QList<Item> items_;
  int current_ = 0;
  double progress_ = -1;
  QString note_;
};

}  // namespace zt::desktop
