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
  void setContext(ContextPtr context);
  void ask(const Question& question);
  QTableView* table() const { return table_; }
  /// The path under the cursor; nullopt if there is none.
  std::optional<PathBytes> currentPath() const;
  /// The chosen entries, at most 10 000; the current one if none is chosen.
  std::vector<PathBytes> chosenPaths() const;

Q_SIGNALS:
  void menuWanted(const QPoint& globalPos);
  void opened(const zt::PathBytes& path);  ///< Enter or a double click

protected:
  void resizeEvent(QResizeEvent* event) override;

private:
  void setupTable();
  void sortBy(ListColumn column, bool descending);
  void show(const std::shared_ptr<const ListAnswer>& answer);
  std::shared_ptr<const std::vector<NodeId>> rowsShown() const;
  std::vector<NodeId> chosen() const;
  void sumChosen();
  void showSums(const ListSums& sums);

  ListEngine engine_;
  ListEngine::Request question_;
  EntryListModel* model_ = nullptr;
  QTableView* table_ = nullptr;
  QLabel* note_ = nullptr;
  QTimer sumLater_;  ///< sums wait until the hands rest
};

}  // namespace zt::desktop
