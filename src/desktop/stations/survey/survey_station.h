// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/legend_strip.h"
#include "desktop/models/folder_model.h"
#include "desktop/stations/station.h"
#include "desktop/stations/survey/field_face.h"
#include "desktop/stations/survey/list_face.h"
#include "desktop/stations/survey/statement_page.h"

class QStackedWidget;
class QButtonGroup;
class QLineEdit;
class QVBoxLayout;
class QStringListModel;

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
  bool watching() const { return session_.live() != nullptr; }
  void enter() override;
  void startFilter() override;
  enum Face { foldersFace, fieldFace, listFace };
  void showFace(Face face);
  Face faceShown() const;
  /// Takes in the latest state of a survey that is being made.
  void showProgress();
  /// Measures the folder under the cursor again.
  void measureCurrent();
  /// Opens a window on what is in the entry under the cursor.
  void lookInside();
  /// How each line of the statement was obtained, and what it is made of.
  void explainStatement();
  /// Shows a column or hides it: length, exclusive.
  void setColumnShown(FolderModel::Column column, bool shown);
  bool columnShown(FolderModel::Column column) const;
  /// Goes to the first large folder of a standing.
  void showStanding(Standing standing);
  /// The path under the cursor, relative to the root; empty if none.
  PathBytes currentPath() const;

protected:
  void resizeEvent(QResizeEvent* event) override;

private:
  QWidget* setupFolders();
  QWidget* setupList();
  void setupFilter(QVBoxLayout* box);
  void showSurvey();
  std::vector<PathBytes> expandedPaths() const;
  NodeId currentNode() const;
  std::vector<PathBytes> chosenPaths() const;
  void askFilter();
  void listFolder(NodeId folder);
  void setLens(int lens);
  void updateLegend();
  std::vector<NodeId> pickedFolders() const;
  void updateNote();
  void showSums(const ListSums& sums);
  void say(const QString& text);
  void listExceptions();
  void planCurrent(StepAction action);
  void contextMenu(const QPoint& at);

  QStackedWidget* faces_ = nullptr;
  StatementPage* statement_ = nullptr;
  QPushButton* exceptions_ = nullptr;
  QPushButton* sources_ = nullptr;
  QTreeView* tree_ = nullptr;
  FolderModel* folders_ = nullptr;
  QButtonGroup* lenses_ = nullptr;
  LegendStrip* legend_ = nullptr;
  QLabel* note_ = nullptr;
  QLineEdit* filter_ = nullptr;
  QLabel* filterProblem_ = nullptr;
  QStringListModel* completions_ = nullptr;
  ListFace* list_ = nullptr;
  FieldFace* field_ = nullptr;
  ListEngine engine_;  ///< sums several picks off this thread
  SurveyPtr shown_;
  std::vector<PathBytes> openPaths_;  ///< to be opened again in the next survey
  PathBytes livePath_;                ///< where the cursor was
};

}  // namespace zt::desktop
