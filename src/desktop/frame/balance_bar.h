// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/chart.h"
#include "desktop/charts/drive_picture.h"

namespace zt::desktop {

/// The balance, as the sum it is: free + planned − target = what is spare or short. The hardest target is
/// written out, the others stand at the right. Always in view.
class BalanceBar final : public Chart {
  Q_OBJECT
public:
  explicit BalanceBar(QWidget* parent = nullptr);
  void show(const DrivePicture& picture);
  /// The sum in words: "free 9.6 GB + planned 14.2 GB − target 20 GB = 3.8 GB to spare".
  QString tableTwin() const override;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  struct Part {
    QString note;
    QString figure;
    bool alarm = false;
  };
  QList<Part> parts() const;
  QString standOf(const Target& t) const;
  QStringList others() const;
  DrivePicture view_;
};

}  // namespace zt::desktop
