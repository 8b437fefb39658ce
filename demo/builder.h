// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/base/bytes.h"
#include "core/base/clock.h"
#include "core/base/result.h"

namespace zt::demo {

struct Built {
  std::uint64_t files = 0;
  std::uint64_t folders = 0;
  Bytes lengthBytes = 0;
  Bytes freeBytes = 0;
};

/// Builds a stand-in drive of the Skerry Point bird observatory in a new folder: `manifest.json`,
/// `expected-finds.json` and `drive/`. `drive` is "office" (linux family), "ferry" (nt) or "studio" (mac).
/// Ages are counted back from `now`. Fails with taken if the folder is there and not empty, badInput for
/// another drive.
Result<Built> build(const std::string& folder, TimeNs now, std::string_view drive = "office");

}  // namespace zt::demo
