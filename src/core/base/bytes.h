// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "core/base/result.h"

namespace zt {

/// Amounts of bytes. Differences are signed.
using Bytes = std::uint64_t;
using SignedBytes = std::int64_t;

/// Which base amounts are printed in. One base everywhere; the default is decimal (1 GB = 10^9 B).
enum class UnitBase { decimal, iec };

/// "9.6 GB", "512 B", "1.2 GiB": three significant figures at most, one decimal below 100.
std::string formatBytes(Bytes bytes, UnitBase base = UnitBase::decimal);

/// The same with a sign; "−0.3 GB" uses U+2212.
std::string formatSigned(SignedBytes bytes, UnitBase base = UnitBase::decimal);

/// An amount as a person writes it: "20GB", "18 GiB", "1.5TB", "4096", "15%" (of capacity).
/// Fails with badInput on anything else: signs, zero, over 100 %, over 2^63 bytes, trailing text.
Result<Bytes> parseAmount(std::string_view text, Bytes capacity);

}  // namespace zt
