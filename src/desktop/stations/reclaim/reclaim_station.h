// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "desktop/charts/run_bar.h"
#include "desktop/models/rows_model.h"
#include "desktop/stations/reclaim/consent_face.h"
#include "desktop/stations/station.h"

class QStackedWidget;

namespace zt::desktop {

/// The consents, collected; then the run: how far it is, the line at work, and what would not go and why.
class ReclaimStation final : public Station {
  Q_OBJECT
public:
  ReclaimStation(Session& session, Prompter& prompter, QWidget* parent);
  void refresh() override;
  QString figure() const override;
  QString waitsFor() const override;
  bool reached() const override { return view().report.has_value(); }
  bool ready() const override { return !view().plan.lines.empty() || view().report.has_value(); }
  void enter() override;
  void start();
  /// Asks for what would not go in the last run, and for that alone.
  void retry();

private:
  QWidget* runPage();
  bool runs() const;
  /// Lines of the last run that would not go, and are still on the plan.
  std::set<std::string> wouldNotGo() const;
  /// Whether the last run is still to be looked at, because not all of it went.
  bool looksBack();
  void fillBar();
  void fillLines();
  void addDone(QList<Row>& rows, const RunSoFar& run) const;
  void fillProblems();
  void showStart();
  /// `over`: what the drive's counter says is known; before, what has been unlinked so far is shown.
  Row outcomeRow(const LineOutcome& outcome, bool atWork, bool over) const;
  Row waitingRow(const PlanLine& line, std::size_t index) const;
  QString titleOf(const std::string& id) const;
  QString heading() const;

  QLabel* heading_ = nullptr;
  QStackedWidget* faces_ = nullptr;
  ConsentFace* consents_ = nullptr;
  RunBar* bar_ = nullptr;
  QTreeView* lines_ = nullptr;
  RowsModel* rows_ = nullptr;
  QLabel* problemsTitle_ = nullptr;
  QTreeView* problems_ = nullptr;
  RowsModel* problemRows_ = nullptr;
  QLabel* unseen_ = nullptr;
  QLabel* note_ = nullptr;
  QPushButton* start_ = nullptr;
  QPushButton* pause_ = nullptr;
  QPushButton* stop_ = nullptr;
  QPushButton* toProof_ = nullptr;
  QPushButton* retry_ = nullptr;
  QPushButton* rest_ = nullptr;
  std::int64_t looked_ = 0;                ///< the run that was looked at
  std::string planThen_;                   ///< token of what the last run left
  std::int64_t planOfRun_ = 0;             ///< which run that was
  std::map<std::string, QString> titles_;  ///< lines that have left the plan since
};

}  // namespace zt::desktop
