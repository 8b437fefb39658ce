// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/mount_table.h"

namespace zt {

/// libmount for the table, libblkid for label and UUID, sysfs for the hardware. The paths can be changed for
/// tests.
class LinuxMountTable final : public MountTable {
public:
  static constexpr const char* ownTable = "/proc/self/mountinfo";
  explicit LinuxMountTable(std::string mountInfo = ownTable, std::string sysfs = "/sys")
      : mountInfo_(std::move(mountInfo)), sysfs_(std::move(sysfs)) {}
  Result<std::vector<Mount>> mounts() override;
  DeviceFacts facts(const Mount& mount) override;

private:
  std::string mountInfo_;
  std::string sysfs_;
};

}  // namespace zt
