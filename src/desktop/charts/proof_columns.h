// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/chart.h"
#include "desktop/session.h"

namespace zt::desktop {

/// Before, promised, actual: three columns seen through a loupe on the top of the drive, where free space and
/// targets are.
class ProofColumns final : public Chart {
  Q_OBJECT
public:
  explicit ProofColumns(QWidget* parent = nullptr);
  void show(const JobView& view);
  QString tableTwin() const override;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  JobView view_;
};

}  // namespace zt::desktop
