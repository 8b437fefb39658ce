// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace zt::helper {

/// What a helper was started for; it does nothing else.
enum class Purpose { read, drop, live, change, carryOut };

/// Stops being root for good: becomes nobody with three rights (CAP_DAC_READ_SEARCH and CAP_SYS_ADMIN, for
/// extents and subvolumes; to read also CAP_SYS_PTRACE, for what processes hold open; to drop
/// CAP_DAC_OVERRIDE, for folders that subvolumes are taken out of), and has the kernel refuse every call but
/// those on a short list, whatever this program might be talked into. A helper for the running system stays
/// root, because the package manager and swap need it; what it starts gets no more than it has. One that
/// changes stays root with a few rights, because its holds are root's; one that carries steps out on files
/// has those beside that keep owners and attributes of what it copies. False if any of it fails. Call it from
/// the only thread.
bool lockDown(Purpose purpose);

}  // namespace zt::helper
