// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/os/rights/privileged.h"

namespace zt {

class HelperLink;

/// Starts the helper as a child process (through polkit's pkexec, or what else `command` says) and speaks
/// with it over a pair of pipes; see docs/formats/helper.md. The child ends when the access is let go.
class HelperClient final : public Privileged {
public:
  /// `command`: program and arguments, started directly, without a shell; what it is for comes last.
  explicit HelperClient(std::vector<std::string> command) : command_(std::move(command)) {}

  bool worthAsking() override;
  Result<std::unique_ptr<PrivilegedAccess>> start(const PathBytes& root) override;
  Result<std::shared_ptr<Snapshots>> startDropping(const PathBytes& mountTarget,
                                                   const DropOrder& order) override;
  std::uint32_t self() override;
  Result<std::shared_ptr<PrivilegedChanges>> startChanging(const PathBytes& root,
                                                           const RightsOrder& order) override;
  Result<std::shared_ptr<LiveSession>> startLive(const PathBytes& root, const RightsOrder& order) override;

private:
  Result<std::shared_ptr<HelperLink>> launch(const char* purpose) const;
  std::vector<std::string> command_;
};

/// The command that starts the helper: from ZTALLY_HELPER (words parted by spaces), else pkexec and the
/// installed helper, else pkexec and the helper beside this program's build.
std::vector<std::string> helperCommand();

}  // namespace zt
