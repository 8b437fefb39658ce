// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/ladder.h"
#include "desktop/charts/chart.h"
#include "desktop/charts/drive_picture.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

/// The ladder: free space, then a rung for each regret, as wide as what it adds, then what a person would
/// have to decide; targets as marks across. A click or Enter takes a rung. Arrows walk the rungs.
class LadderStrip final : public Chart {
  Q_OBJECT
public:
  explicit LadderStrip(QWidget* parent = nullptr);
  /// `taken`: the highest rung that the plan has taken; none for nothing.
  void show(const DrivePicture& picture, const Ladder& ladder, std::optional<Regret> taken);
  QString tableTwin() const override;

Q_SIGNALS:
  void rungPicked(zt::Regret ceiling);
  void decisionsPicked();

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

private:
  struct Rung {
    QString name;
    QString amount;
    QString note;
    Bytes bytes = 0;
    Stratum stratum = Stratum::free;
    std::optional<Regret> regret;  ///< none: free space, or what is to be decided
    bool sure = true;
    bool decisions = false;
  };
  QList<QRectF> rects() const;
  /// Whether the names need two lines, because there is no room for all of them on one.
  bool namesInTwo() const;
  void fitHeight();
  double placeOf(Bytes freeThen) const;
  int rungAt(const QPointF& pos) const;
  void pick(int rung);

  DrivePicture view_;
  QList<Rung> rungs_;
  std::optional<Regret> taken_;
  int focused_ = -1;
};

}  // namespace zt::desktop
