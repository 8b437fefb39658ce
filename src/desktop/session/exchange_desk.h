// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/session/session.h"

namespace zt::desktop {

/// Brings a survey in as a job of its own, and writes one out. GUI thread.
class ExchangeDesk final {
public:
  explicit ExchangeDesk(Session& session) : session_(session) {}

  void importSurvey(const PathBytes& file, const PathBytes& jobFile);
  void exportSurvey(const PathBytes& file);

private:
  Session& session_;
};

}  // namespace zt::desktop
