// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/rights/file_rights.h"

namespace zt {

bool FileRights::lacks(const EntryStat& folder, const EntryStat& entry) const {
  constexpr std::uint32_t sticky = 01000;
  return folder.foreign || ((folder.mode & sticky) != 0 && isOthers(folder.owner) && isOthers(entry.owner));
}

}  // namespace zt
