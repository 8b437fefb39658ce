// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/drive/drive.h"

namespace zt {

class Register;

/// Drives that were copied from each other block by block have one UUID. The register knows which hardware a
/// UUID was met on; on other hardware a drive has an identity of its own, so that visits, holds and marks of
/// the two are never mixed, until somebody says what it is. Any thread.

/// Who a drive is by its UUID and its hardware. Changes nothing in the register.
DriveIdentity identityOf(const std::string& uuid, const std::string& hardware, Register& visits);
/// Notes where a drive was met, where nothing is known of its UUID yet.
void noteHardware(const Drive& drive, Register& visits);
/// Says of a drive whether it is the one of the earlier visits, or another one.
Result<void> sayTwin(const Drive& drive, bool same, Register& visits);

}  // namespace zt
