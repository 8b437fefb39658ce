// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string_view>

namespace zt {

/// How freely something may go. In order of the Level, from the ground up.
enum class Standing : std::uint8_t { bedrock, kept, unjudged, ownersCall, rebuilds, spent };
constexpr int standings = 6;

/// The worst thing one may be sorry for after a step, from nothing to the worst.
enum class Regret : std::uint8_t { none, timeOrBandwidth, wayBack, personalMoved, personalGone };
constexpr int regrets = 5;

std::string_view name(Standing standing);
std::string_view name(Regret regret);
std::optional<Standing> standingNamed(std::string_view name);
std::optional<Regret> regretNamed(std::string_view name);

}  // namespace zt
