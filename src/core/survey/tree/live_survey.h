// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <mutex>
#include <vector>

#include "core/survey/survey.h"
#include "core/survey/tree/age_size.h"

namespace zt {

/// A survey while it is being made: what has been counted so far in every folder, and by age and size. Keeps
/// the growing survey alive.
///
/// Threads: `update` belongs to the thread that reports the walk; all else may be called from any thread, and
/// gives what the latest update found.
class LiveSurvey {
public:
  explicit LiveSurvey(std::shared_ptr<const Survey> survey) : survey_(std::move(survey)) {}

  /// Adds up every folder that was listed since; one pass over all folders.
  void update(const AgeSizeField& field);

  const SurveyTree& tree() const { return survey_->tree; }
  /// Occupied bytes of a folder that the tree has given, with everything beneath it; an inode with n names
  /// counts 1/n at each. Zero before it was listed.
  Bytes occupied(NodeId folder) const;
  AgeSizeField field() const;

private:
  std::shared_ptr<const Survey> survey_;
  std::vector<std::uint32_t> above_;  ///< folder number of the parent, by folder number
  mutable std::mutex mutex_;          ///< guards what follows
  std::shared_ptr<const std::vector<Bytes>> sums_ = std::make_shared<const std::vector<Bytes>>();
  AgeSizeField field_;
};

}  // namespace zt
