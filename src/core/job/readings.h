// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/find_context.h"
#include "core/history/trend.h"
#include "core/job/register.h"

namespace zt {

/// Free bytes over the visits to a drive, and what runs gave in between. Any thread.
std::vector<FreeReading> readingsOf(const std::vector<Visit>& visits);

/// What a visit counts: bytes by standing, and of the largest folders directly in what was measured. One
/// pass.
std::vector<VisitSum> countedOf(const FindContext& measured);

}  // namespace zt
