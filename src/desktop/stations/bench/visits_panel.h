// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "desktop/session/drive_watch.h"

class QLabel;
class QPushButton;
class QTreeView;

namespace zt::desktop {

class RowsModel;

/// What earlier visits to a drive left: their figures, and the things still held on it. GUI thread.
class VisitsPanel final : public QWidget {
  Q_OBJECT
public:
  explicit VisitsPanel(QWidget* parent = nullptr);
  /// nullptr clears it.
  void show(const DriveAtHand* drive, TimeNs now);

Q_SIGNALS:
  void jobWanted(const QByteArray& file);
  void putBackWanted();
  void compareWanted(const QByteArray& file);

private:
  QLabel* title_;
  QTreeView* visits_;
  RowsModel* rows_;
  QPushButton* compare_;
  QLabel* trend_;
  QLabel* held_;
  QPushButton* putBack_;
};

}  // namespace zt::desktop
