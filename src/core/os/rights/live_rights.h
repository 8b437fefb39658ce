// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/rights/privileged.h"

namespace zt {

/// Who carries out what steps do to the running system, where this program lacks the right: asked for once
/// for everything of a plan, and for that alone. One run at a time.
class LiveRights {
public:
  explicit LiveRights(std::shared_ptr<Privileged> privileged) : privileged_(std::move(privileged)) {}
  bool worthAsking() const { return privileged_ != nullptr && privileged_->worthAsking(); }
  /// Fails with notPermitted where it is refused. What was begun before is over.
  Result<void> begin(const PathBytes& root, const RightsOrder& order);
  void end() { session_.reset(); }
  bool begun() const { return session_ != nullptr; }
  /// One phase of one thing, as records are told (core/reclaim/told_record.h). `alive` is called while it
  /// goes on.
  Result<std::string> carryOut(const std::string& phase, const std::string& record,
                               const std::function<void()>& alive);

private:
  std::shared_ptr<Privileged> privileged_;
  std::shared_ptr<LiveSession> session_;
};

}  // namespace zt
