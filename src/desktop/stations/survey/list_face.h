// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTableView>
#include <QTimer>
#include <QWidget>

#include "desktop/models/entry_list_model.h"

class QLabel;

namespace zt::desktop {

/// Entries of the survey in one flat list, however many: those that answer the filter line, or that were
/// picked elsewhere. Says what they come to together, and what the chosen ones do.
class ListFace final : public QWidget {
  Q_OBJECT
public:
  explicit ListFace(QWidget* parent = nullptr);

  /// The survey that questions are about; an empty list until one is asked.
  void setContext(std::shared_ptr<const FindContext> context);
  void ask(const Query& query);
  QTableView* table() const { return table_; }
  const EntryListModel* model() const { return model_; }
  /// The chosen entries; the current one if none is chosen.
  std::vector<NodeId> chosen() const;

Q_SIGNALS:
  void menuWanted(const QPoint& globalPos);
  void opened(zt::NodeId node);  ///< Enter or a double click

protected:
  void resizeEvent(QResizeEvent* event) override;

private:
  void setupTable();
  void sortBy(ListColumn column, bool descending);
  void show(const std::shared_ptr<const ListAnswer>& answer);
  std::shared_ptr<const std::vector<NodeId>> rowsShown() const;
  void sumChosen();
  void showSums(const ListSums& sums);

  ListEngine engine_;
  ListEngine::Question question_;
  EntryListModel* model_ = nullptr;
  QTableView* table_ = nullptr;
  QLabel* note_ = nullptr;
  QTimer sumLater_;  ///< sums wait until the hands rest
};

}  // namespace zt::desktop
