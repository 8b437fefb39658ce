// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/age_size_grid.h"
#include "desktop/models/folder_model.h"
#include "desktop/models/rows_model.h"
#include "desktop/stations/station.h"
#include "desktop/stations/survey/statement_page.h"

class QStackedWidget;
class QButtonGroup;
class QLineEdit;

namespace zt::desktop {

/// Where the bytes are: the statement, the folders with their ribbons, and the age × size field as a second
/// face.
class SurveyStation final : public Station {
  Q_OBJECT
public:
  SurveyStation(Session& session, Prompter& prompter, QWidget* parent);
  void refresh() override;
  QString figure() const override;
  bool ready() const override { return view().survey != nullptr; }
  void enter() override;
  void startFilter() override;
  void showField(bool field);
  bool fieldShown() const;
  /// Shows a column or hides it: length, exclusive.
  void setColumnShown(FolderModel::Column column, bool shown);
  bool columnShown(FolderModel::Column column) const;
  /// Goes to the first large folder of a standing.
  void showStanding(Standing standing);
  /// The path under the cursor, relative to the root; empty if none.
  PathBytes currentPath() const;

private:
  QWidget* setupFolders();
  QWidget* setupField();
  void setLens(int lens);
  void updateLegend();
  void updateNote();
  void listExceptions();
  void find(const QString& text);
  void fillPicked();
  void planCurrent(StepAction action);
  void contextMenu(const QPoint& at);

  QStackedWidget* faces_ = nullptr;
  StatementPage* statement_ = nullptr;
  QPushButton* exceptions_ = nullptr;
  QTreeView* tree_ = nullptr;
  FolderModel* folders_ = nullptr;
  QButtonGroup* lenses_ = nullptr;
  QLabel* legend_ = nullptr;
  QLabel* note_ = nullptr;
  QLineEdit* filter_ = nullptr;
  QPushButton* faceSwitch_ = nullptr;
  AgeSizeGrid* grid_ = nullptr;
  QTreeView* picked_ = nullptr;
  RowsModel* pickedRows_ = nullptr;
  QLabel* pickedNote_ = nullptr;
  SurveyPtr shown_;
};

}  // namespace zt::desktop
