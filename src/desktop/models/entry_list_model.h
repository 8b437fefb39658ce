// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractTableModel>

#include "desktop/models/list_engine.h"

namespace zt::desktop {

/// A flat list of entries of a survey, however long: shows what the engine answered. Sorting asks the engine
/// anew. GUI thread.
class EntryListModel final : public QAbstractTableModel {
  Q_OBJECT
public:
  /// In the order of ListColumn; the name's column shows the path.
  using QAbstractTableModel::QAbstractTableModel;

  /// Rows of an answer that only got in better order keep their place on the screen.
  void show(std::shared_ptr<const ListAnswer> answer);
  const ListAnswer* answer() const { return answer_.get(); }
  std::shared_ptr<const ListAnswer> shared() const { return answer_; }
  NodeId nodeAt(int row) const;
  static QString columnName(ListColumn column);

  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& parent = {}) const override {
    return parent.isValid() ? 0 : listColumns;
  }
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  void sort(int column, Qt::SortOrder order) override;

Q_SIGNALS:
  void sortWanted(zt::ListColumn column, bool descending);

private:
  QString text(NodeId node, ListColumn column) const;
  std::shared_ptr<const ListAnswer> answer_;
};

}  // namespace zt::desktop
