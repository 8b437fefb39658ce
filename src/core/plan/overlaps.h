// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/find_context.h"
#include "core/plan/choose.h"

namespace zt {

/// What candidates have to do with each other: those that overlap exclude each other, and bytes that come
/// free only when all of several go (names of one file, points that hold the same) count together. Pure.
void relate(ChoiceProblem& problem, std::span<const Find* const> candidates, const FindContext& context);

}  // namespace zt
