// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/json_reader.h"
#include "core/images/image_facts.h"

namespace zt {

/// The figures of a disk image as JSON: docs/formats/json.md, `images[]` of `match`, without its path.
Json imageJson(const ImageFacts& facts);
/// Reads them again; what is missing is 0.
ImageFacts readImageFacts(JsonReader& in);

}  // namespace zt
