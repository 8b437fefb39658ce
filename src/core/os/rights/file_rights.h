// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/rights/privileged.h"

namespace zt {

/// Who takes others' things out of their folders and lets them go, where this program lacks the right: asked
/// for once for everything of a plan, and for that alone. One run at a time.
class FileRights {
public:
  explicit FileRights(std::shared_ptr<Privileged> privileged) : privileged_(std::move(privileged)) {}
  bool worthAsking() const { return privileged_ != nullptr && privileged_->worthAsking(); }
  /// Whether who works here may not take an entry out of a folder, as both are now.
  bool lacks(const EntryStat& folder, const EntryStat& entry) const;
  /// Whose thing it is by its owner.
  bool isOthers(std::uint32_t owner) const { return owner != privileged_->self(); }
  /// Fails with notPermitted where it is refused.
  Result<std::shared_ptr<PrivilegedChanges>> begin(const PathBytes& root, const RightsOrder& order) const {
    return privileged_->startChanging(root, order);
  }

private:
  std::shared_ptr<Privileged> privileged_;
};

/// What may be done with a thing of an order, as `RightsThing::action`.
constexpr std::string_view mayTake = "take";           ///< into a hold, back out of it, and out of the world
constexpr std::string_view mayGiveBack = "give-back";  ///< out of a hold, to its old place
constexpr std::string_view mayRelease = "release";     ///< out of a hold, for good

}  // namespace zt
