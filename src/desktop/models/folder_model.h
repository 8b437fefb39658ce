// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractItemModel>
#include <unordered_map>

#include "desktop/models/composition.h"
#include "desktop/session.h"

namespace zt::desktop {

/// The folders of a survey, biggest first, opened on demand. GUI thread.
class FolderModel final : public QAbstractItemModel {
  Q_OBJECT
public:
  enum Column {
    nameColumn,
    madeOfColumn,
    occupiedColumn,
    lengthColumn,
    exclusiveColumn,
    newestColumn,
    columns
  };
  enum Role { nodeRole = Qt::UserRole, shareRole, partsRole };

  using QAbstractItemModel::QAbstractItemModel;
  void show(SurveyPtr survey, std::shared_ptr<const FindContext> context,
            std::shared_ptr<const Composition> composition);
  void setLens(Lens lens);
  Lens lens() const { return lens_; }
  const Composition* composition() const { return composition_.get(); }
  NodeId nodeAt(const QModelIndex& index) const {
    return index.isValid() ? static_cast<NodeId>(index.internalId()) : noNode;
  }
  QModelIndex indexOf(NodeId node);

  QModelIndex index(int row, int column, const QModelIndex& parent = {}) const override;
  QModelIndex parent(const QModelIndex& index) const override;
  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& = {}) const override { return columns; }
  bool hasChildren(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

private:
  const std::vector<NodeId>& children(NodeId folder) const;
  QVariant text(NodeId node, int column) const;

  SurveyPtr survey_;
  std::shared_ptr<const FindContext> context_;
  std::shared_ptr<const Composition> composition_;
  Lens lens_ = Lens::standing;
  mutable std::unordered_map<NodeId, std::vector<NodeId>> children_;
  mutable std::unordered_map<NodeId, int> rows_;
};

}  // namespace zt::desktop
