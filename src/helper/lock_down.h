// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace zt::helper {

/// Stops being root for good: becomes nobody with three rights to read (CAP_DAC_READ_SEARCH; CAP_SYS_PTRACE
/// for what processes hold open; CAP_SYS_ADMIN for extents), and has the kernel refuse every call but those
/// on a short list, whatever this program might be talked into. False if either fails. Call it from the only
/// thread.
bool lockDown();

}  // namespace zt::helper
