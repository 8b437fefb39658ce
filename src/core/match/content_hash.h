// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <utility>

namespace zt {

/// 128 bits that stand for content. Equal ones are taken for equal content until something is to go: then
/// bytes are compared.
struct Digest {
  std::uint64_t high = 0;
  std::uint64_t low = 0;
  bool operator==(const Digest&) const = default;
  bool operator<(const Digest& other) const {
    return std::pair(high, low) < std::pair(other.high, other.low);
  }
};

/// Folds bytes into a digest. One thread at a time.
class ContentHash {
public:
  virtual ~ContentHash() = default;
  virtual void add(std::span<const char> bytes) = 0;
  /// The digest of all that was added; begins anew.
  virtual Digest finish() = 0;
};

/// XXH3 of 128 bits (xxHash 0.8 specification).
std::unique_ptr<ContentHash> xxh3Hash();
using HashMaker = std::function<std::unique_ptr<ContentHash>()>;

}  // namespace zt
