// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace zt::helper {

/// What a helper was started for; it does nothing else.
enum class Purpose { read, drop };

/// Stops being root for good: becomes nobody with three rights (CAP_DAC_READ_SEARCH and CAP_SYS_ADMIN, for
/// extents and subvolumes; to read also CAP_SYS_PTRACE, for what processes hold open; to drop
/// CAP_DAC_OVERRIDE, for folders that subvolumes are taken out of), and has the kernel refuse every call but
/// those on a short list, whatever this program might be talked into. False if either fails. Call it from the
/// only thread.
bool lockDown(Purpose purpose);

}  // namespace zt::helper
