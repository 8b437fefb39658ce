// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "desktop/charts/legend_strip.h"
#include "desktop/models/folder_model.h"
#include "desktop/models/list_engine.h"
#include "desktop/session/job_view.h"

class QButtonGroup;
class QLabel;
class QTreeView;

namespace zt::desktop {

/// The folders of the survey with their ribbons, opened on demand. What is open and where the cursor is stays
/// through another survey: both are kept by path. GUI thread.
class FoldersFace final : public QWidget {
  Q_OBJECT
public:
  explicit FoldersFace(QWidget* parent = nullptr);
  QTreeView* tree() const { return tree_; }

  void show(const JobView& view);
  /// Shows a survey that is being made; called again for every new state of it.
  void showLive(const std::shared_ptr<const LiveSurvey>& live);
  bool isLive() const { return folders_->isLive(); }

  /// The path under the cursor; nullopt if there is none.
  std::optional<PathBytes> currentPath() const;
  std::vector<PathBytes> chosenPaths() const;
  void goTo(const PathBytes& path);
  /// Goes to the largest folder of a standing.
  void goTo(Standing standing);
  void setColumnShown(FolderModel::Column column, bool shown);
  bool columnShown(FolderModel::Column column) const;
  /// Gives the ribbons so much room.
  void setRibbonWidth(int width);

Q_SIGNALS:
  void menuWanted(const QPoint& globalPos);
  void fieldWanted();
  void restWanted(const zt::PathBytes& folder);  ///< a folder's smaller entries are to be listed

private:
  QLayout* setupHead();
  void setupTree();
  void showSurvey(const JobView& view);
  void remember();
  const SurveyTree* treeShown() const;
  std::vector<NodeId> picked() const;
  void updateLegend();
  void updateNote();
  void showSums(const ListSums& sums);
  void tell(const QString& text);

  QTreeView* tree_ = nullptr;
  FolderModel* folders_ = nullptr;
  QButtonGroup* lenses_ = nullptr;
  LegendStrip* legend_ = nullptr;
  QLabel* note_ = nullptr;
  ListEngine engine_;  ///< sums several picks off this thread
  SurveyPtr survey_;   ///< on show; with its context
  ContextPtr context_;
  std::shared_ptr<const Composition> composition_;
  std::shared_ptr<const LiveSurvey> live_;
  std::vector<PathBytes> openPaths_;  ///< to be opened again in the next survey
  PathBytes cursor_;
};

}  // namespace zt::desktop
