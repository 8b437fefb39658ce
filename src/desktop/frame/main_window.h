// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QElapsedTimer>
#include <QMainWindow>

#include "desktop/charts/level_gauge.h"
#include "desktop/frame/balance_bar.h"
#include "desktop/frame/commands.h"
#include "desktop/frame/station_strip.h"

class QStackedWidget;

namespace zt::desktop {

class BenchStation;

/// The frame: Level at the left, stations along the top, balance along the bottom, the current station in the
/// middle. GUI thread.
class MainWindow final : public QMainWindow {
  Q_OBJECT
public:
  MainWindow(const Workshop& workshop, Prompter& prompter, StationTable stations = builtInStations(),
             QWidget* parent = nullptr);
  ~MainWindow() override;

  /// A folder to measure, or a job file.
  void openPlace(const QString& path);
  void openStandIn(const QString& folder);
  Session& session() { return session_; }
  /// By its id; nothing where there is none.
  void goTo(std::string_view station);
  std::string_view station() const;

protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void closeEvent(QCloseEvent* event) override;

private:
  void setupFrame();
  void setupBench();
  void setupSession();
  void connectSession();
  void connectDrives();
  void restoreSettings();
  void refresh();
  void refreshStrip();
  void showProgress(const Progress& progress);
  void showRun();
  void showFailure(const Error& error);
  void showWork();
  void showPicture();
  void pickStratum(Stratum stratum);
  Station& stationNow() const;

  Prompter& prompter_;
  Session session_;
  DriveWatch drives_;
  Opener* opener_;
  WordFinder* words_;
  Stations at_;
  BenchStation& bench_;
  Commands* commands_ = nullptr;
  LevelGauge* level_ = nullptr;
  StationStrip* strip_ = nullptr;
  BalanceBar* balance_ = nullptr;
  QStackedWidget* stack_ = nullptr;
  QLabel* failure_ = nullptr;
  QElapsedTimer since_;
};

}  // namespace zt::desktop
