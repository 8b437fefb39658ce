// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/upkeep/rule.h"

namespace zt {

/// A unit file of systemd, as systemd.unit(5) and its kin describe them.
struct UnitFile {
  std::string name;
  std::string text;
};

/// What runs rules by itself: a service, an hourly timer that asks which are due, and where a rule waits for
/// it a path unit that sees that packages were changed. `program`: absolute, of the command line. `whole`: of
/// the system, as root; else of one user.
std::vector<UnitFile> upkeepUnits(const std::vector<UpkeepRule>& rules, const std::string& program,
                                  bool whole);

/// The line of a crontab(5) that does what the timer does.
std::string crontabLine(const std::string& program);

}  // namespace zt
