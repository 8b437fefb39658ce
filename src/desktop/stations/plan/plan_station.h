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
};

}  // namespace zt::desktop
