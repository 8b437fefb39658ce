// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/tree/live_survey.h"

namespace zt {

void LiveSurvey::update(const AgeSizeField& field) {
  const SurveyTree& t = survey_->tree;
  const std::uint32_t count = t.folderNumbers();
  constexpr std::uint32_t unknown = ~std::uint32_t{0};
  above_.resize(count, unknown);
  auto sums = std::make_shared<std::vector<Bytes>>(count);
  // A parent's number is smaller: one pass from the back.
  for (std::uint32_t i = count; i-- > 0;) {
    NodeId node = noNode;
    const GrowingFolder g = t.growing(i, &node);
    (*sums)[i] += g.own;
    if (i == 0 || node == noNode) continue;
    if (above_[i] == unknown) above_[i] = t.folderIndex(t.parent(node));
    (*sums)[above_[i]] += (*sums)[i];
  }
  const std::scoped_lock lock(mutex_);
  sums_ = std::move(sums);
  field_ = field;
}

Bytes LiveSurvey::occupied(NodeId folder) const {
  const std::uint32_t index = survey_->tree.folderIndex(folder);
  const std::scoped_lock lock(mutex_);
  return index < sums_->size() ? (*sums_)[index] : 0;
}

AgeSizeField LiveSurvey::field() const {
  const std::scoped_lock lock(mutex_);
  return field_;
}

}  // namespace zt
