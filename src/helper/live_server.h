// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/live_system.h"
#include "core/os/open_files.h"
#include "core/plan/step_kind.h"
#include "core/reclaim/guard.h"
#include "helper/conversation.h"

namespace zt::helper {

/// Carries one order out on the running system, a phase of a thing at a time, as its client's journal has
/// come to it. Three kinds of step and no others: a swap file is switched off (and on again), a package goes
/// by its manager, the journal is limited. Each looks at what it changes itself, as if no client had looked.
/// One thread.
class LiveServer final : public Conversation {
public:
  struct Ports {
    std::shared_ptr<FileSystem> files;
    std::shared_ptr<OpenFiles> openFiles;
    std::shared_ptr<LiveSystem> live;
    /// Type of the file system that a root lies on.
    std::function<std::string(const PathBytes& root)> typeOf;
  };
  LiveServer(Ports ports, Send send);

private:
  Answer answer(const std::string& method, const Json& params) override;
  Answer begin(const Json& params);
  Answer step(const Json& params);

  Ports ports_;
  std::vector<StepKind> kinds_;
  std::optional<GuardedDrive> drive_;
  RightsOrder order_;
  bool ended_ = false;
};

}  // namespace zt::helper
