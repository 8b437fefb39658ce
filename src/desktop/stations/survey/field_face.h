// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "desktop/charts/age_size_grid.h"
#include "desktop/models/list_engine.h"
#include "desktop/models/rows_model.h"
#include "desktop/session/job_view.h"

class QLabel;
class QTreeView;

namespace zt::desktop {

/// The age × size field, and beside it the largest files of the picked cells.
class FieldFace final : public QWidget {
  Q_OBJECT
public:
  explicit FieldFace(QWidget* parent = nullptr);
  void show(const JobView& view);
  /// Shows what has been counted so far; nothing can be picked meanwhile.
  void showLive(const AgeSizeField& field);
  AgeSizeGrid* grid() const { return grid_; }

Q_SIGNALS:
  void foldersWanted();
  void planWanted(const std::vector<zt::PathBytes>& paths);

private:
  QWidget* setupPicked();
  void askPicked();
  void fillPicked(const ListAnswer& answer);
  void planChosen();

  SurveyPtr survey_;
  ContextPtr context_;
  ListEngine engine_;
  AgeSizeGrid* grid_ = nullptr;
  QTreeView* picked_ = nullptr;
  RowsModel* rows_ = nullptr;
  QLabel* note_ = nullptr;
};

}  // namespace zt::desktop
