// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/drive_insides.h"

namespace zt {

Bytes Overhead::sum() const {
  Bytes all = 0;
  for (const Part& part : parts) all += part.bytes;
  return all;
}

}  // namespace zt
