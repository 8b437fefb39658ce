// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/chart.h"
#include "desktop/charts/column.h"

namespace zt::desktop {

/// What the Bench shows of one drive.
struct ShelfDrive {
  Drive drive;
  PathBytes path;  ///< what is opened: the mount's top, or a stand-in's folder
  bool standIn = false;
  QList<Block> blocks;  ///< strata where it was measured in this job
  std::vector<Target> targets;
  QString measured;  ///< "measured 10:42", "never measured"
};

/// The drives as columns side by side on a shelf, all of one height. Arrows walk along, Enter or a double
/// click measures.
class DriveShelf final : public Chart {
  Q_OBJECT
public:
  explicit DriveShelf(QWidget* parent = nullptr);
  void show(QList<ShelfDrive> drives, int chosen);
  const QList<ShelfDrive>& drives() const { return drives_; }
  int chosen() const { return chosen_; }
  QString tableTwin() const override;

Q_SIGNALS:
  void choose(int index);
  void activated(int index);

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

private:
  static constexpr int slotWidth = 240;
  void paintDrive(QPainter& painter, int index);
  int at(const QPointF& pos) const;
  int first() const;  ///< index of the leftmost drive shown
  int visible() const { return std::max(1, width() / slotWidth); }

  QList<ShelfDrive> drives_;
  int chosen_ = -1;
};

}  // namespace zt::desktop
