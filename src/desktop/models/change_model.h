// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractItemModel>

#include "core/history/comparison.h"
#include "desktop/models/ledger_delegate.h"

namespace zt::desktop {

/// Two surveys and what changed from one to the other. A shared value that never changes.
struct Compared {
  SurveyPtr was, is;
  Comparison comparison;
};
using ComparedPtr = std::shared_ptr<const Compared>;

/// The outline of what changed, those that changed most first. GUI thread.
class ChangeModel final : public QAbstractItemModel {
  Q_OBJECT
public:
  enum Column { nameColumn, changeColumn, ribbonColumn, deltaColumn, beforeColumn, afterColumn, columns };
  /// What went and what came beneath a row, each as a share of the most that any of its siblings has.
  enum Role { lessRole = Qt::UserRole, moreRole };

  using QAbstractItemModel::QAbstractItemModel;
  void show(ComparedPtr compared);
  QModelIndex index(int row, int column, const QModelIndex& parent = {}) const override;
  QModelIndex parent(const QModelIndex& index) const override;
  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& = {}) const override { return columns; }
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

private:
  const ChangeRow& rowAt(const QModelIndex& index) const {
    return compared_->comparison.rows[static_cast<std::size_t>(index.internalId())];
  }
  QString text(const ChangeRow& row, int column) const;
  QString tip(const ChangeRow& row) const;
  double share(const ChangeRow& row, bool more) const;
  ComparedPtr compared_;
};

/// Paints a row's two-sided ribbon: what went to the left of the middle, what came to the right.
class ChangeDelegate final : public LedgerDelegate {
  Q_OBJECT
public:
  using LedgerDelegate::LedgerDelegate;
  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
};

}  // namespace zt::desktop
