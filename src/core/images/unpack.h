// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/images/disk_image.h"

namespace zt {

/// Unpacks to exactly so many bytes; what the packed bytes end short of is zeros. Fails with corrupt, and for
/// more than 64 MiB. deflate: RFC 1951; zlib: RFC 1950; zstd: RFC 8878.
Result<std::string> unpack(Packing packing, std::string_view bytes, Bytes length);

}  // namespace zt
