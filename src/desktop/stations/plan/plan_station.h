// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/ladder_strip.h"
#include "desktop/charts/staircase.h"
#include "desktop/models/rows_model.h"
#include "desktop/stations/station.h"

class QStackedWidget;
class QVBoxLayout;

namespace zt::desktop {

/// The staircase, the ladder, and the lines beneath.
class PlanStation final : public Station {
  Q_OBJECT
public:
  PlanStation(Session& session, Prompter& prompter, QWidget* parent);
  void refresh() override;
  QString figure() const override;
  QString waitsFor() const override;
  bool reached() const override;
  bool ready() const override { return view().survey != nullptr; }
  void enter() override;
  void propose();
  /// Moves the things of the chosen lines to another drive, which is asked for once.
  void moveAway();
  /// What would happen now: every thing is checked as the run would, and nothing is changed.
  void check();
  /// The ways to reach the target side by side, to take one of them.
  void compare();
  void undoEdit() { desk_.undoEdit(); }
  void redoEdit() { desk_.redoEdit(); }

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

private:
  void setupLadder(QVBoxLayout* box);
  void proposeUpTo(std::optional<Regret> ceiling);
  std::optional<Regret> taken() const;
  void setupLines(QVBoxLayout* box);
  Row row(std::size_t at) const;
  QString conditions(std::size_t at) const;
  void setupDecisions(QVBoxLayout* box);
  void decide(bool goes);
  void fillLines();
  void fillDecisions();
  void fillLeft();
  std::string currentLine() const;
  std::vector<std::string> chosenLines() const;
  void showChecked(const std::vector<JournalRecord>& refused);
  void switchAction();
  QString summary() const;
  QString standOfPlan() const;

  QLabel* summary_ = nullptr;
  Staircase* stairs_ = nullptr;
  LadderStrip* ladder_ = nullptr;
  QTreeView* lines_ = nullptr;
  RowsModel* rows_ = nullptr;
  QTreeView* decisions_ = nullptr;
  RowsModel* decisionRows_ = nullptr;
  QLabel* decisionsNote_ = nullptr;
  QLabel* left_ = nullptr;
  QPushButton* propose_ = nullptr;
  /// What a check said of lines that still stand as they did then.
  std::map<std::string, QString> refused_;
  std::vector<std::string> checkedPlan_;
};

}  // namespace zt::desktop
