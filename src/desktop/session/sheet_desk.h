// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/report/sheet_facts.h"
#include "desktop/session/session.h"

namespace zt::desktop {

/// Gathers what a sheet says, and keeps whose sheets they are. GUI thread.
class SheetDesk final {
public:
  explicit SheetDesk(Session& session) : session_(session) {}

  void gather(std::function<void(const SheetFacts&)> then);
  /// For all sheets from now on. Fails with what is wrong with the picture; an empty one takes it away.
  Result<void> sayShop(const std::string& name, const std::optional<PathBytes>& logo);

private:
  Session& session_;
};

}  // namespace zt::desktop
