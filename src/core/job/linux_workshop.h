// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/register.h"
#include "core/job/workshop.h"

namespace zt {

/// This machine's own ports, the craft that comes with the program, and this user's register (none where it
/// cannot be opened). For `main` alone: whoever is given a workshop does not know what stands behind it.
Workshop linuxWorkshop();

}  // namespace zt
