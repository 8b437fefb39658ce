// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/proof_columns.h"
#include "desktop/models/rows_model.h"
#include "desktop/stations/proof/sheet_view.h"
#include "desktop/stations/proof/upkeep_view.h"
#include "desktop/stations/station.h"

class QStackedWidget;

namespace zt::desktop {

/// Before, promised, actual, and why they differ; targets; what is held.
class ProofStation final : public Station {
  Q_OBJECT
public:
  ProofStation(Session& session, Prompter& prompter, QWidget* parent);
  void refresh() override;
  QString figure() const override;
  QString waitsFor() const override;
  bool ready() const override { return view().proof.has_value(); }
  void enter() override;
  void putBack();
  void release();
  void payBack();
  /// Shows the sheet that is handed over.
  void showSheet();
  /// Shows the rules that run by themselves.
  void showUpkeep();

private:
  QWidget* setupRight(QWidget* page);
  void fillTargets();
  void fillHeld();
  void fillLines();

  QStackedWidget* faces_ = nullptr;
  SheetView* sheet_ = nullptr;
  UpkeepView* upkeep_ = nullptr;
  QPushButton* handOver_ = nullptr;
  QLabel* heading_ = nullptr;
  ProofColumns* columns_ = nullptr;
  QLabel* verdicts_ = nullptr;
  QLabel* held_ = nullptr;
  QPushButton* putBack_ = nullptr;
  QPushButton* release_ = nullptr;
  QLabel* lent_ = nullptr;
  QPushButton* payBack_ = nullptr;
  QTreeView* lines_ = nullptr;
  RowsModel* rows_ = nullptr;
  QLabel* sum_ = nullptr;
  QPushButton* again_ = nullptr;
  QPushButton* measure_ = nullptr;
};

}  // namespace zt::desktop
