// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/ladder_strip.h"
#include "desktop/models/finds_model.h"
#include "desktop/stations/finds/evidence_panel.h"
#include "desktop/stations/question_line.h"
#include "desktop/stations/station.h"

class QHBoxLayout;
class QPushButton;

namespace zt::desktop {

/// For quick judging by keyboard: P plan it, H hold it, K keep, M may go, N not now; a second press takes it
/// back; S plans it with the snapshots that hold it. Several rows at once where several are chosen. R asks
/// for a rule on many. After a key the cursor goes on to the next find. K in the list of a find's things
/// exempts one.
class FindsStation final : public Station {
  Q_OBJECT
public:
  FindsStation(Session& session, Prompter& prompter, QWidget* parent);
  void refresh() override;
  QString figure() const override;
  QString waitsFor() const override;
  bool ready() const override { return view().survey != nullptr || session_.coming() != nullptr; }
  void enter() override;
  void startFilter() override;
  void showStanding(Standing standing);
  void showPoints();
  enum class Saying { plan, withPoints, hold, keep, mayGo, notNow, rule, move };
  void judge(Saying saying);
  QStringList currentPaths() const;

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

private:
  void setupKeys(QHBoxLayout* row);
  void goOn();
  std::vector<const Find*> chosen() const;
  void askRule(const std::vector<const Find*>& finds);
  std::vector<const Find*> allBeside(const Find& find) const;
  void exempt(NodeId thing);
  void planChosen(const std::vector<const Find*>& finds, const std::string& action);
  void markChosen(const std::vector<const Find*>& finds, Mark mark);
  FindsShown shown() const;
  void showEvidence(const Find* find);
  void select(const QModelIndex& index);

  QLabel* summary_ = nullptr;
  LadderStrip* ladder_ = nullptr;
  QPushButton* match_ = nullptr;
  QTreeView* list_ = nullptr;
  FindsModel* model_ = nullptr;
  QuestionLine* question_ = nullptr;
  ContextPtr asked_;  ///< whose words the line knows
  EvidencePanel* evidence_ = nullptr;
  std::string current_;
};

}  // namespace zt::desktop
