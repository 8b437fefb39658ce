// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/drive_shelf.h"
#include "desktop/models/rows_model.h"
#include "desktop/session/drive_watch.h"
#include "desktop/stations/bench/changes_view.h"
#include "desktop/stations/bench/visits_panel.h"
#include "desktop/stations/station.h"

class QStackedWidget;
class QVBoxLayout;

namespace zt::desktop {

/// The drives at hand side by side, the targets of the chosen one, and what earlier visits left.
class BenchStation final : public Station {
  Q_OBJECT
public:
  BenchStation(Session& session, DriveWatch& drives, Prompter& prompter, QWidget* parent);
  void refresh() override;
  QString figure() const override;
  bool ready() const override { return !shelf_->drives().isEmpty(); }
  void enter() override;
  /// What the Level and the balance show: the chosen drive, as it is known.
  DrivePicture picture() const;
  /// Measures the chosen drive; false if none is chosen.
  bool measureChosen();
  /// Asks for a need of a task, and adds it to the chosen drive.
  void addTarget();
  /// Chooses a stand-in by its folder.
  void chooseStandIn(const PathBytes& folder);

Q_SIGNALS:
  void chosenChanged();
  void openRequested(const QByteArray& path, bool standIn);  ///< and measured
  /// A target for a drive that is not open yet.
  void targetRequested(const QByteArray& path, bool standIn, const QString& label, const QString& amount);
  void folderRequested();
  void standInRequested();
  void jobRequested();
  void jobFileRequested(const QByteArray& file);

private:
  void setupShelf();
  void setupTargets();
  void setupFoot();
  void fillShelf();
  void fillTargets();
  void choose(int index);
  void toggleTarget(const QString& id, bool on);
  void dropTarget();
  void overruleKind();
  const DriveAtHand* chosen() const;
  bool isOpen(const DriveAtHand& drive) const;

  void compareWith(const QByteArray& file);

  DriveWatch& drives_;
  QStackedWidget* faces_ = nullptr;
  QVBoxLayout* bench_ = nullptr;
  ChangesView* changes_ = nullptr;
  DriveShelf* shelf_ = nullptr;
  QLabel* targetsTitle_ = nullptr;
  QTreeView* targets_ = nullptr;
  RowsModel* targetRows_ = nullptr;
  VisitsPanel* visits_ = nullptr;
  QPushButton* measure_ = nullptr;
  QPushButton* addTarget_ = nullptr;
  QPushButton* dropTarget_ = nullptr;
  std::string chosenId_;  ///< of the drive; the first one where it is not there
  bool chosenStandIn_ = false;
};

}  // namespace zt::desktop
