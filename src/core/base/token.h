// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>

namespace zt {

/// 32 hexadecimal digits that fit exactly this text, whoever asks (XXH3, 128 bits). Tells what somebody
/// agreed to from anything else; it is no proof against somebody who looks for another text that fits.
std::string tokenOf(std::string_view text);

}  // namespace zt
