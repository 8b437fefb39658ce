// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/chart.h"
#include "desktop/charts/drive_picture.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

/// Free space climbing step by step from today to the end of the plan, target lines across it, each step
/// toned by the standing it comes out of. Arrows walk the steps.
class Staircase final : public Chart {
  Q_OBJECT
public:
  explicit Staircase(QWidget* parent = nullptr);
  /// `adds`: what each line of the plan frees beside those before it; of that the steps show what the counter
  /// of free bytes rises by.
  void show(const DrivePicture& picture, const Plan& plan, const std::vector<GainBounds>& adds);
  void setCurrent(int line);
  QString tableTwin() const override;

Q_SIGNALS:
  void stepPicked(int line);

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

private:
  struct Step {
    int line = -1;  ///< −1: several small ones together
    QString name;
    Bytes bytes = 0;
    Stratum stratum = Stratum::free;
  };
  QList<Step> steps() const;
  double y(double bytes, const QRectF& area) const;
  void paintAxis(QPainter& painter, const QRectF& area);
  void paintTargetLines(QPainter& painter, const QRectF& area);
  void paintTargetNames(QPainter& painter, const QRectF& area);

  DrivePicture view_;
  QList<Step> all_;  ///< before small ones are put together
  double top_ = 1;   ///< bytes at the upper edge
  int current_ = -1;
  QList<QRectF> rects_;
};

}  // namespace zt::desktop
