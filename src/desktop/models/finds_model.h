// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractItemModel>

#include "core/finds/find_list.h"
#include "core/plan/plan.h"
#include "core/query/answer.h"

namespace zt::desktop {

/// What the list of finds is about. Shared values that never change.
struct FindsShown {
  ContextPtr context;
  std::shared_ptr<const FindList> finds;
  std::shared_ptr<const Marks> marks;
  std::shared_ptr<const Plan> plan;
  Bytes shortfall = 0;
};

/// Finds in groups by standing (spent first, bedrock last), biggest first; what is small against the
/// shortfall is folded into one row a group. GUI thread.
class FindsModel final : public QAbstractItemModel {
  Q_OBJECT
public:
  enum Role { findRole = Qt::UserRole, standingRole, noteRole, markRole, foldRole };
  using QAbstractItemModel::QAbstractItemModel;

  void show(const FindsShown& shown);
  void setQuestion(const Question& question);
  const Find* findAt(const QModelIndex& index) const;
  QModelIndex indexOf(const std::string& id) const;
  /// The group of a standing; invalid if it has none.
  QModelIndex groupOf(Standing standing) const;
  std::size_t shown() const { return shown_; }
  std::size_t folded() const { return folded_; }

  QModelIndex index(int row, int column, const QModelIndex& parent = {}) const override;
  QModelIndex parent(const QModelIndex& index) const override;
  int rowCount(const QModelIndex& parent = {}) const override;
  int columnCount(const QModelIndex& = {}) const override { return 2; }
  QVariant data(const QModelIndex& index, int role) const override;

private:
  struct Node {
    int parent = -1;
    int row = 0;
    int find = -1;  ///< −1: a group, or the fold
    bool fold = false;
    Standing standing = Standing::unjudged;
    Bytes bytes = 0;
    std::vector<int> children;
  };
  void rebuild();
  int add(int parent, Node node);
  QString markText(const Find& find) const;

  const Find& find(int number) const { return (*view_.finds)[static_cast<std::size_t>(number)]; }
  void addGroup(Standing standing, const FindMatcher& matcher, Bytes small);

  FindsShown view_;
  Question question_;
  std::vector<Node> nodes_;  ///< 0 is the invisible root
  std::size_t shown_ = 0;
  std::size_t folded_ = 0;
};

}  // namespace zt::desktop
