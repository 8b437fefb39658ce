// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <span>

#include "core/finds/find_context.h"

namespace zt {

/// Which things are meant where not all of a find, or of several, are: a rule on many.
struct Narrowing {
  TimeNs before = 0;           ///< only what was last changed, or thrown away, before; 0: whenever
  std::size_t newestStay = 0;  ///< so many of the newest, of all the finds together, stay
  std::vector<PathBytes> but;  ///< these stay, with what they lie in and what lies in them
  std::optional<std::vector<PathBytes>> only;  ///< nothing but these
  bool any() const { return before != 0 || newestStay != 0 || !but.empty() || only; }
};

/// When a thing was thrown away, where its record says so; else the latest change in it.
TimeNs timeOf(const Subject& thing, const SurveyTree& tree);

/// A find without some of its things; a record goes where its thing goes. Sums and times are of what is left,
/// regret and standing those of the whole, which nothing left can exceed. Nothing where nothing is left, and
/// where a find goes only as a whole (a kernel with its modules) and something would stay. The gains of its
/// offers are still those of the whole: see `priceOffers`.
std::optional<Find> without(const Find& find, const FindContext& context,
                            const std::function<bool(const Subject&)>& stays);

/// The finds with the things that are meant; those of which nothing is left are not there.
std::vector<Find> narrowed(std::span<const Find* const> finds, const Narrowing& by,
                           const FindContext& context);

}  // namespace zt
