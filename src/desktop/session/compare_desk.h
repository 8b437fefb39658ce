// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/models/change_model.h"
#include "desktop/session/session.h"

namespace zt::desktop {

/// Compares the survey that is open with that of another visit. GUI thread.
class CompareDesk final {
public:
  explicit CompareDesk(Session& session) : session_(session) {}
  /// `file`: a job or an exported survey. The earlier of the two stands first.
  void compareWith(const PathBytes& file, std::function<void(const ComparedPtr&)> then);

private:
  Session& session_;
};

}  // namespace zt::desktop
