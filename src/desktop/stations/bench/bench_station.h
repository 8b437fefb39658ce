// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/drive_shelf.h"
#include "desktop/models/rows_model.h"
#include "desktop/stations/station.h"

namespace zt::desktop {

/// The attached drives side by side, and the targets of the chosen one.
class BenchStation final : public Station {
  Q_OBJECT
public:
  BenchStation(Session& session, Prompter& prompter, QWidget* parent);
  void refresh() override;
  QString figure() const override;
  bool ready() const override { return !shelf_->drives().isEmpty(); }
  void enter() override;
  /// Puts a stand-in on the shelf; false if the folder is none.
  void addStandIn(const StandInManifest& manifest, const PathBytes& folder, const Drive& drive);

Q_SIGNALS:
  void openRequested(const QByteArray& path, bool standIn);
  void folderRequested();
  void standInRequested();
  void jobRequested();

private:
  void setupShelf();
  void setupTargets();
  void fillShelf();
  void fillTargets();
  void chooseDrive(int index);
  void measureChosen();
  void addTarget();
  void toggleTarget(const QString& id, bool on);
  void dropTarget();
  bool isOpen(const ShelfDrive& drive) const;

  DriveShelf* shelf_ = nullptr;
  QLabel* targetsTitle_ = nullptr;
  QTreeView* targets_ = nullptr;
  RowsModel* targetRows_ = nullptr;
  QPushButton* measure_ = nullptr;
  QPushButton* addTarget_ = nullptr;
  QPushButton* dropTarget_ = nullptr;
  QList<ShelfDrive> standIns_;
  int chosen_ = 0;
};

}  // namespace zt::desktop
