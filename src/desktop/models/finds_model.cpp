// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/finds_model.h"

#include <algorithm>

#include "core/finds/subject_type.h"
#include "core/survey/tree/gain_model.h"
#include "desktop/style/language.h"
#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

void FindsModel::show(const FindsShown& shown) {
  const bool same =
      shown.finds == view_.finds && shown.context == view_.context && shown.shortfall == view_.shortfall;
  view_ = shown;
  if (!same || nodes_.empty()) return rebuild();
  // The same finds with another plan: rows stay, so that nothing jumps under the user's hand. Of each group
  // all rows are told at once; what of it is in sight is drawn anew.
  for (const Node& node : nodes_) {
    if (node.children.empty()) continue;
    const auto at = [&](int child) {
      return createIndex(nodes_[static_cast<std::size_t>(child)].row, 0, static_cast<quintptr>(child));
    };
    Q_EMIT dataChanged(at(node.children.front()), at(node.children.back()).siblingAtColumn(1));
  }
}

void FindsModel::setQuestion(const Question& question) {
  question_ = question;
  rebuild();
}

int FindsModel::add(int parent, Node node) {
  const auto id = static_cast<int>(nodes_.size());
  node.parent = parent;
  if (parent >= 0) {
    node.row = static_cast<int>(nodes_[static_cast<std::size_t>(parent)].children.size());
    nodes_[static_cast<std::size_t>(parent)].children.push_back(id);
  }
  nodes_.push_back(std::move(node));
  return id;
}

void FindsModel::rebuild() {
  beginResetModel();
  nodes_.clear();
  nodes_.emplace_back();
  shown_ = folded_ = 0;
  if (view_.finds && view_.context) {
    const FindMatcher matcher(*view_.context, question_);
    const Bytes small = question_.empty() ? view_.shortfall / 200 : 0;
    for (const Standing standing : {Standing::spent, Standing::rebuilds, Standing::ownersCall,
                                    Standing::unjudged, Standing::kept, Standing::bedrock})
      addGroup(standing, matcher, small);
  }
  endResetModel();
}

void FindsModel::addGroup(Standing standing, const FindMatcher& matcher, Bytes small) {
  std::vector<int> big;
  std::vector<int> little;
  std::vector<Subject> things;
  Bytes parts = 0;
  for (int i = 0; i < static_cast<int>(view_.finds->size()); ++i) {
    const Find& f = find(i);
    if (f.standing != standing || !matcher.fits(f)) continue;
    (f.gain.atMost < small ? little : big).push_back(i);
    // Packages are no entries of the survey; of what could only be made smaller the rest stays.
    const bool elsewhere =
        std::none_of(f.items.begin(), f.items.end(), [](const Subject& s) { return typeOf(s).isWeighed(s); });
    if (elsewhere || (f.offers.empty() && f.gain.when == GainTime::later)) {
      parts += f.gain.atMost;
      continue;
    }
    things.insert(things.end(), f.items.begin(), f.items.end());
  }
  if (big.empty() && little.empty()) return;
  for (std::vector<int>* list : {&big, &little})
    std::stable_sort(list->begin(), list->end(),
                     [&](int a, int b) { return find(a).gain.atMost > find(b).gain.atMost; });
  // Finds overlap; the group's figure counts every byte once.
  const int group = add(0, {-1, 0, -1, false, standing, view_.context->gainOf(things).atMost + parts, {}});
  for (const int i : big) add(group, {-1, 0, i, false, standing, find(i).gain.atMost, {}});
  shown_ += big.size() + little.size();
  if (little.empty()) return;
  Bytes sum = 0;
  for (const int i : little) sum += find(i).gain.atMost;
  const int fold = add(group, {-1, 0, -1, true, standing, sum, {}});
  for (const int i : little) add(fold, {-1, 0, i, false, standing, find(i).gain.atMost, {}});
  folded_ += little.size();
}

const Find* FindsModel::findAt(const QModelIndex& index) const {
  if (!index.isValid() || index.internalId() >= nodes_.size()) return nullptr;
  const int find = nodes_[index.internalId()].find;
  return find < 0 ? nullptr : &(*view_.finds)[static_cast<std::size_t>(find)];
}

QModelIndex FindsModel::indexOf(const std::string& id) const {
  for (std::size_t n = 1; n < nodes_.size(); ++n)
    if (nodes_[n].find >= 0 && (*view_.finds)[static_cast<std::size_t>(nodes_[n].find)].id == id)
      return createIndex(nodes_[n].row, 0, static_cast<quintptr>(n));
  return {};
}

QModelIndex FindsModel::groupOf(Standing standing) const {
  if (nodes_.empty()) return {};
  for (const int n : nodes_[0].children)
    if (nodes_[static_cast<std::size_t>(n)].standing == standing)
      return createIndex(nodes_[static_cast<std::size_t>(n)].row, 0, static_cast<quintptr>(n));
  return {};
}

QModelIndex FindsModel::index(int row, int column, const QModelIndex& parent) const {
  if (nodes_.empty() || row < 0 || column < 0 || column > 1) return {};
  const auto& list = nodes_[parent.isValid() ? parent.internalId() : 0].children;
  if (row >= static_cast<int>(list.size())) return {};
  return createIndex(row, column, static_cast<quintptr>(list[static_cast<std::size_t>(row)]));
}

QModelIndex FindsModel::parent(const QModelIndex& index) const {
  if (!index.isValid() || index.internalId() >= nodes_.size()) return {};
  const int up = nodes_[index.internalId()].parent;
  if (up <= 0) return {};
  return createIndex(nodes_[static_cast<std::size_t>(up)].row, 0, static_cast<quintptr>(up));
}

int FindsModel::rowCount(const QModelIndex& parent) const {
  if (nodes_.empty() || parent.column() > 0) return 0;
  return static_cast<int>(nodes_[parent.isValid() ? parent.internalId() : 0].children.size());
}

QString FindsModel::markText(const Find& find) const {
  if (view_.plan)
    if (const PlanLine* line = view_.plan->find(find.id))
      return QStringLiteral("● ") + say(&Words::planMark, *line->step);
  if (find.judged == Standing::bedrock) return tr("locked");
  if (!view_.marks) return {};
  if (view_.marks->locks(find)) return tr("◆ kept");
  const auto mark = view_.marks->of(find);
  return mark == Mark::mayGo ? tr("◇ may go") : mark == Mark::notNow ? tr("○ not now") : QString();
}

QVariant FindsModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.internalId() >= nodes_.size()) return {};
  const Node& node = nodes_[index.internalId()];
  const Find* find = findAt(index);
  switch (role) {
    case Qt::DisplayRole:
      if (index.column() == 1) return say(&Words::bytes, node.bytes);
      if (find != nullptr) return say(&Words::findTitle, *find);
      return node.fold ? counted(node.children.size(), "1 small one", "%1 small ones")
                       : say(&Words::standing, node.standing);
    case Qt::ToolTipRole:
      if (index.column() == 1) return say(&Words::exact, node.bytes);
      return find != nullptr ? say(&Words::findTitle, *find)
             : node.fold     ? QString()
                             : say(&Words::standingMeaning, node.standing);
    case Qt::AccessibleTextRole:
      if (find != nullptr)
        return say(&Words::findTitle, *find) + QStringLiteral(", ") + say(&Words::bytes, node.bytes) +
               QLatin1Char(' ') + markText(*find);
      return {};
    case Qt::WhatsThisRole:
      return say(&Words::standing, node.standing);
    case Qt::TextAlignmentRole:
      return index.column() == 1 ? QVariant(Qt::AlignRight | Qt::AlignTop) : QVariant();
    case findRole:
      return find == nullptr ? QVariant() : QString::fromStdString(find->id);
    case standingRole:
      return static_cast<int>(node.standing);
    case noteRole:
      return find == nullptr ? (node.fold ? tr("small against the shortfall; open to see them") : QString())
                             : say(&Words::findNote, *find);
    case markRole:
      return find == nullptr ? QString() : markText(*find);
    case foldRole:
      return node.fold;
    default:
      return {};
  }
}

}  // namespace zt::desktop
