// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/proof/proof.h"
#include "desktop/charts/chart.h"
#include "desktop/charts/drive_picture.h"

namespace zt::desktop {

/// Before, promised, actual: three columns seen through a loupe on the top of the drive, where free space and
/// targets are.
class ProofColumns final : public Chart {
  Q_OBJECT
public:
  explicit ProofColumns(QWidget* parent = nullptr);
  void show(const DrivePicture& picture, std::optional<Proof> proof);
  QString tableTwin() const override;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  DrivePicture view_;
  std::optional<Proof> proof_;
};

}  // namespace zt::desktop
