// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bytes.h"
#include "desktop/charts/chart.h"

namespace zt::desktop {

/// A run in bytes: how much of what was promised has come free, and where on the way targets are met.
class RunBar final : public Chart {
  Q_OBJECT
public:
  struct Mark {
    Bytes at = 0;  ///< of what comes free
    QString name;
    bool met = false;
  };
  explicit RunBar(QWidget* parent = nullptr);
  void show(Bytes done, Bytes all, QList<Mark> marks);
  QString tableTwin() const override;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  Bytes done_ = 0;
  Bytes all_ = 0;
  QList<Mark> marks_;
};

}  // namespace zt::desktop
