// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "desktop/models/rows_model.h"
#include "desktop/stations/station.h"

class QCheckBox;
class QStackedWidget;

namespace zt::desktop {

/// The consents, collected; then the run, line by line, and what would not go and why.
class ReclaimStation final : public Station {
  Q_OBJECT
public:
  ReclaimStation(Session& session, Prompter& prompter, QWidget* parent);
  void refresh() override;
  QString figure() const override;
  bool ready() const override { return !view().plan.lines.empty() || view().report.has_value(); }
  void enter() override;
  void start();

private:
  void fillLines();
  void fillProblems();
  Row consentRow(const PlanLine& line, std::size_t index) const;
  /// `over`: what the drive's counter says is known; before, what has been unlinked so far is shown.
  Row outcomeRow(const LineOutcome& outcome, bool over) const;
  QString titleOf(const std::string& id) const;
  QString heading() const;

  QLabel* heading_ = nullptr;
  QTreeView* lines_ = nullptr;
  RowsModel* rows_ = nullptr;
  QLabel* problemsTitle_ = nullptr;
  QTreeView* problems_ = nullptr;
  RowsModel* problemRows_ = nullptr;
  QLabel* unseen_ = nullptr;
  QCheckBox* agree_ = nullptr;
  QPushButton* start_ = nullptr;
  QPushButton* pause_ = nullptr;
  QPushButton* stop_ = nullptr;
  QPushButton* toProof_ = nullptr;
  std::map<std::string, LineOutcome> running_;
  std::map<std::string, QString> titles_;  ///< lines that have left the plan since
  std::string agreedTo_;
};

}  // namespace zt::desktop
