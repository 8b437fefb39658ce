// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/clock.h"
#include "desktop/charts/chart.h"

namespace zt::desktop {

/// How long nobody has touched a thing: a small line from ten years ago to today, with what is known marked
/// on it.
class TimeLine final : public Chart {
  Q_OBJECT
public:
  explicit TimeLine(QWidget* parent = nullptr);
  /// `accessed` 0: not known.
  void show(TimeNs modified, TimeNs accessed, TimeNs now);
  QString tableTwin() const override;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  double place(TimeNs time, double left, double right) const;
  TimeNs modified_ = 0;
  TimeNs accessed_ = 0;
  TimeNs now_ = 0;
};

}  // namespace zt::desktop
