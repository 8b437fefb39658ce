// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractItemModel>
#include <unordered_map>

#include "core/survey/tree/live_survey.h"
#include "desktop/models/composition.h"

namespace zt::desktop {

/// The folders of a survey, opened on demand, sorted within each folder. Of a folder with very many entries
/// it shows the largest, and one row for the rest, which the list shows. While a survey is being made it
/// shows what has been counted so far, by name, so that rows stay where they are. GUI thread.
class FolderModel final : public QAbstractItemModel {
  Q_OBJECT
public:
  enum Column {
    nameColumn,
    madeOfColumn,
    occupiedColumn,
    lengthColumn,
    exclusiveColumn,
    filesColumn,
    newestColumn,
    columns
  };
  enum Role { shareRole = Qt::UserRole, partsRole };

  using QAbstractItemModel::QAbstractItemModel;
  void show(SurveyPtr survey, ContextPtr context, std::shared_ptr<const Composition> composition);
  /// Shows a survey that is being made; called again for every new state of it.
  void showLive(std::shared_ptr<const LiveSurvey> live);
  bool isLive() const { return live_ != nullptr; }
  void setLens(Lens lens);
  Lens lens() const { return lens_; }
  const Composition* composition() const { return composition_.get(); }
  /// Of the row for the rest: its folder.
  NodeId nodeAt(const QModelIndex& index) const {
    return index.isValid() ? static_cast<NodeId>(index.internalId() & ~restBit) : noNode;
  }
  bool isRest(const QModelIndex& index) const {
    return index.isValid() && (index.internalId() & restBit) != 0;
  }
  /// Of an entry that the outline does not show for want of room: of its folder's row for the rest.
  QModelIndex indexOf(NodeId node);

  QModelIndex index(int row, int column, const QModelIndex& parent = {}) const override;
  QModelIndex parent(const QModelIndex& index) const override;
  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& = {}) const override { return columns; }
  bool hasChildren(const QModelIndex& parent = {}) const override;
  bool canFetchMore(const QModelIndex& parent) const override;
  void fetchMore(const QModelIndex& parent) override;
  void sort(int column, Qt::SortOrder order) override;
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

private:
  static constexpr quintptr restBit = quintptr{1} << 40;
  const SurveyTree& tree() const { return live_ ? live_->tree() : survey_->tree; }
  bool empty() const { return !live_ && !survey_; }
  const std::vector<NodeId>& children(NodeId folder) const;
  std::vector<NodeId> sortedChildren(NodeId folder) const;
  bool hasRest(NodeId folder) const;
  Bytes weight(NodeId node) const;
  Bytes restOf(NodeId folder) const;
  QVariant text(NodeId node, int column) const;
  QVariant restData(NodeId folder, int column, int role) const;

  SurveyPtr survey_;
  ContextPtr context_;
  std::shared_ptr<const Composition> composition_;
  std::shared_ptr<const LiveSurvey> live_;
  Lens lens_ = Lens::standing;
  int sortColumn_ = occupiedColumn;
  bool descending_ = true;
  mutable std::unordered_map<NodeId, std::vector<NodeId>> children_;
  mutable std::unordered_map<NodeId, int> rows_;
};

}  // namespace zt::desktop
