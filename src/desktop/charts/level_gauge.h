// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/chart.h"
#include "desktop/charts/column.h"

namespace zt::desktop {

/// The Level: the drive as one upright column, always there. Strata from the ground up, target marks at the
/// left, names at the right, the planned level dashed. On a large drive a loupe shows the top of the column,
/// where free space and targets are.
class LevelGauge final : public Chart {
  Q_OBJECT
public:
  explicit LevelGauge(QWidget* parent = nullptr);
  void show(const DrivePicture& picture);
  /// While measuring: bytes accounted for so far; 0 when it is over.
  void setAccounted(Bytes bytes);
  QString tableTwin() const override;
  QSize sizeHint() const override { return {232, 600}; }

Q_SIGNALS:
  void picked(zt::desktop::Stratum stratum);

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  bool event(QEvent* event) override;

private:
  struct Mark {
    double y = 0;
    QString name;
    QString amount;
  };
  QRectF columnRect() const;
  void paintHead(QPainter& painter);
  void paintNames(QPainter& painter, const QRectF& column, const QList<QRectF>& rects);
  void paintTargets(QPainter& painter, const QRectF& column);
  void paintPlannedLevel(QPainter& painter, const QRectF& column);
  int blockAt(const QPointF& pos) const;

  DrivePicture view_;
  QList<Block> blocks_;
  QList<QRectF> rects_;
  Bytes accounted_ = 0;
  int hovered_ = -1;
  int focused_ = -1;
};

}  // namespace zt::desktop
