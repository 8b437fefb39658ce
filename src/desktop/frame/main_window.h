// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QElapsedTimer>
#include <QMainWindow>

#include "desktop/charts/level_gauge.h"
#include "desktop/frame/balance_bar.h"
#include "desktop/frame/station_strip.h"
#include "desktop/frame/word_book.h"
#include "desktop/stations/bench/bench_station.h"
#include "desktop/stations/finds/finds_station.h"
#include "desktop/stations/plan/plan_station.h"
#include "desktop/stations/proof/proof_station.h"
#include "desktop/stations/reclaim/reclaim_station.h"
#include "desktop/stations/survey/survey_station.h"

class QStackedWidget;

namespace zt::desktop {

/// The frame: Level at the left, stations along the top, balance along the bottom, the current station in the
/// middle. GUI thread.
class MainWindow final : public QMainWindow {
  Q_OBJECT
public:
  MainWindow(const Workshop& workshop, Prompter& prompter, QWidget* parent = nullptr);
  ~MainWindow() override;

  /// A folder to measure, or a job file.
  void openPlace(const QString& path);
  void openStandIn(const QString& folder);
  Session& session() { return session_; }
  void goTo(int station);
  int station() const;

protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void closeEvent(QCloseEvent* event) override;

private:
  void setupFrame();
  void setupMenus();
  void setupFileMenu();
  void setupWorkMenus();
  void setupViewMenu();
  void setupHelpMenu();
  void setupSession();
  void restoreSettings();
  QAction* act(QMenu* menu, const QString& text, const QKeySequence& keys, const char* name,
               std::function<void()> run);
  void refresh();
  void refreshStrip();
  void showProgress(const Progress& progress);
  void showFailure(const Error& error);
  void standInDialog();
  void measure();
  void togglePause();
  void exportSurvey();
  void importSurvey(const QString& file);
  void open(const QByteArray& path, bool standIn, std::function<void()> then);
  void openMeasuring(const QByteArray& path, bool standIn);
  void setupBench();
  void connectSession();
  void connectDrives();
  void showWork();
  void showPicture();
  static QString stationName(int station);
  void pickStratum(Stratum stratum);
  void findCommand();
  void explainWord();
  void setDark(bool dark);
  void setBase(bool iec);

  Prompter& prompter_;
  Session session_;
  DriveWatch drives_;
  LevelGauge* level_ = nullptr;
  WordFinder* words_ = new WordFinder(this);
  StationStrip* strip_ = nullptr;
  BalanceBar* balance_ = nullptr;
  QStackedWidget* stack_ = nullptr;
  QLabel* failure_ = nullptr;
  BenchStation* bench_ = nullptr;
  SurveyStation* survey_ = nullptr;
  FindsStation* finds_ = nullptr;
  PlanStation* plan_ = nullptr;
  ReclaimStation* reclaim_ = nullptr;
  ProofStation* proof_ = nullptr;
  QList<Station*> stations_;
  QAction* stopAction_ = nullptr;
  QAction* pauseAction_ = nullptr;
  QAction* measureFolderAction_ = nullptr;
  std::function<void()> afterOpening_;  ///< what the opening was for; nothing if it fails
  bool rightsAsked_ = false;            ///< once a window is enough
  bool rightsWanted_ = false;
  QElapsedTimer since_;
};

}  // namespace zt::desktop
