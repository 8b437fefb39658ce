// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <mutex>
#include <vector>

#include "core/survey/age_size.h"
#include "core/survey/survey.h"

namespace zt {

/// A survey while it is being made: what has been counted so far in every folder, and by age and size. Keeps
/// the growing survey alive.
///
/// Threads: `update` belongs to the thread that reports the walk; all else may be called from any thread, and
/// gives what the latest update found.
class LiveSurvey {
public:
  explicit LiveSurvey(std::shared_ptr<const Survey> survey) : survey_(std::move(survey)) {}

  struct Sums {
    Bytes occupied = 0;  ///< an inode with n names counts 1/n at each
    std::uint32_t files = 0;
  };

  /// Adds up every folder that was listed since; one pass over all folders.
  void update(const AgeSizeField& field);

  const SurveyTree& tree() const { return survey_->tree; }
  /// Of a folder that the tree has given; zero before it was listed.
  Sums sums(NodeId folder) const;
  AgeSizeField field() const;

private:
  std::shared_ptr<const Survey> survey_;
  std::vector<std::uint32_t> above_;  ///< folder number of the parent, by folder number
  mutable std::mutex mutex_;          ///< guards what follows
  std::shared_ptr<const std::vector<Sums>> sums_ = std::make_shared<const std::vector<Sums>>();
  AgeSizeField field_;
};

}  // namespace zt
