// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "desktop/models/change_model.h"

class QLabel;
class QTreeView;

namespace zt::desktop {

/// What changed on a drive between two visits, by folder, with a ribbon to both sides. GUI thread.
class ChangesView final : public QWidget {
  Q_OBJECT
public:
  explicit ChangesView(QWidget* parent = nullptr);
  void show(const ComparedPtr& compared);

Q_SIGNALS:
  void closed();

private:
  QLabel* summary_;
  QTreeView* tree_;
  ChangeModel* model_;
};

}  // namespace zt::desktop
