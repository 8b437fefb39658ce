// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <set>

#include "desktop/session/session.h"

namespace zt::desktop {

/// What the stations ask that changes the drive, and the reading that proves it. How each goes is told
/// by the signals of `Session`. GUI thread.
class RunDesk final {
public:
  explicit RunDesk(Session& session) : session_(session) {}

  /// Carries the plan out whose consent was shown under this token, but for the lines that nobody agreed to:
  /// they wait, and stay on the plan.
  void reclaim(const std::string& shown, const std::set<std::string>& waiting = {});
  /// Checks every thing of the plan as the run would, and changes nothing; `then` gets those that would not
  /// go.
  void rehearse(std::function<void(std::vector<JournalRecord>)> then);
  void undo();
  /// Pays all open loans back, as far as there is room.
  void repay();
  void release(const std::string& token);
  void prove();
  /// The consent for letting all held things go.
  void withReleaseConsent(std::function<void(Consent)> then);

private:
  Session& session_;
};

}  // namespace zt::desktop
