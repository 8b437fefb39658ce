// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/base/bytes.h"
#include "core/drive/drive.h"

namespace zt {

/// Where a target comes from. The headroom rules disagree because each guards something else.
enum class TargetOrigin : std::uint8_t {
  task,               ///< entered by the user: what must succeed afterwards
  tenPercent,         ///< room for working files and against fragmentation
  fifteenRotating,    ///< rotating drives slow down when files no longer lie in one piece
  quarterSolidState,  ///< solid-state drives need spare blocks to spread wear
  tenGigabytes        ///< enough for updates, for now
};

constexpr int targetOrigins = 5;
std::string_view name(TargetOrigin origin);

/// Free bytes that must be reached. Met when the bytes that ordinary users can have are at least this.
struct Target {
  TargetOrigin origin = TargetOrigin::task;
  std::string label;   ///< the user's own words; empty for a rule
  std::string amount;  ///< as entered: "20GB", "15%"
  Bytes bytes = 0;
  bool chosen = true;        ///< a rule that the shop does not follow is shown, but sets no target
  bool whileItRuns = false;  ///< needed only while a task runs, not for good
};

/// Surplus over a target; negative is the shortfall.
SignedBytes surplus(const Target& target, Bytes free);

/// The rules that speak for this kind of drive, none of them chosen.
std::vector<Target> headroomRules(const Drive& drive);

/// What should stay free on a drive that something is put on: the least that a rule asks for.
Bytes headroomOf(const Drive& drive);

/// The chosen target that needs the most; nullptr if none is chosen.
const Target* hardest(const std::vector<Target>& targets);

/// How pressing it is. Emergency: under 500 MB or half a per cent; cramped: a chosen target, the 10 % or the
/// 10 GB rule is missed.
enum class Urgency : std::uint8_t { fine, cramped, emergency, fullByDesign };
std::string_view name(Urgency urgency);
Urgency urgencyOf(const Drive& drive, const std::vector<Target>& targets);

}  // namespace zt
