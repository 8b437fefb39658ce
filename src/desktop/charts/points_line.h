// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/base/bytes.h"
#include "core/base/clock.h"
#include "desktop/charts/chart.h"

namespace zt::desktop {

/// What a series of points looks like in time: a stem a point, as high as what it holds alone; beneath the
/// line a bar for what several hold together, over the dates that they cover.
struct PointsPicture {
  struct Mark {
    TimeNs taken = 0;
    Bytes alone = 0;
    bool stays = false;  ///< locked, whatever is picked
    QString name;        ///< what is said of it
  };
  struct Span {
    std::size_t first = 0, last = 0;
    Bytes bytes = 0;
  };
  std::vector<Mark> marks;  ///< the oldest first
  std::vector<Span> spans;  ///< of more than one, the most bytes first
};

/// Shows a series and lets a range of it be picked: by dragging, by Left and Right, with Shift for more.
class PointsLine final : public Chart {
  Q_OBJECT
public:
  explicit PointsLine(QWidget* parent = nullptr);
  void show(PointsPicture picture);
  /// Which are picked; a rule may pick any.
  void setPicked(std::vector<bool> picked);
  const std::vector<bool>& picked() const { return picked_; }
  QString tableTwin() const override;

Q_SIGNALS:
  void changed();  ///< somebody picked others

protected:
  void paintEvent(QPaintEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  bool event(QEvent* event) override;

private:
  static constexpr double axis = 64, lane = 15;
  static constexpr std::size_t lanes = 4;
  double place(TimeNs taken) const;
  std::size_t nearest(double x) const;
  void pickRange(std::size_t from, std::size_t to);
  void paintSpans(QPainter& p);
  void paintMarks(QPainter& p);

  PointsPicture picture_;
  std::vector<bool> picked_;
  std::size_t anchor_ = 0;
  std::size_t current_ = 0;
};

}  // namespace zt::desktop
