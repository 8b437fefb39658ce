// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <cstring>
#include <string>
#include <string_view>
#include <type_traits>

namespace zt {

constexpr std::size_t mostVarint = 10;  ///< bytes of the longest

/// Writes seven bits a byte, the lowest first; the top bit says that more follow. Gives where it ends.
inline char* putVarint(char* at, std::uint64_t value) {
  for (; value >= 0x80; value >>= 7) *at++ = static_cast<char>(value | 0x80);
  *at++ = static_cast<char>(value);
  return at;
}

/// Small numbers of either sign as small ones without.
constexpr std::uint64_t zigzagged(std::int64_t value) {
  return (static_cast<std::uint64_t>(value) << 1) ^ static_cast<std::uint64_t>(value >> 63);
}

/// Appends numbers and texts to bytes, little endian as the machine.
class ByteWriter {
public:
  template <class T>
  void put(T value) {
    static_assert(std::is_trivially_copyable_v<T>);
    bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
  }
  /// Seven bits a byte, the lowest first; the top bit says that more follow.
  void varint(std::uint64_t value) {
    char few[mostVarint];
    bytes.append(few, static_cast<std::size_t>(putVarint(few, value) - few));
  }
  /// Small numbers of either sign in few bytes.
  void zigzag(std::int64_t value) { varint(zigzagged(value)); }
  void text(std::string_view s) {
    put(static_cast<std::uint32_t>(s.size()));
    bytes.append(s);
  }
  std::string bytes;
};

/// Reads what ByteWriter wrote. Beyond the end everything is zero or empty, and `ok` is false from then on.
class ByteReader {
public:
  ByteReader() = default;
  explicit ByteReader(std::string_view bytes) : rest_(bytes) {}
  template <class T>
  T get() {
    T value{};
    if (rest_.size() < sizeof value) return ok_ = false, value;
    std::memcpy(&value, rest_.data(), sizeof value);
    rest_.remove_prefix(sizeof value);
    return value;
  }
  std::uint64_t varint() {
    std::uint64_t value = 0;
    for (unsigned shift = 0; shift < 64; shift += 7) {
      const auto byte = get<std::uint8_t>();
      value |= std::uint64_t{byte & 0x7Fu} << shift;
      if ((byte & 0x80) == 0) return ok_ ? value : 0;
    }
    return ok_ = false, 0;
  }
  std::int64_t zigzag() {
    const std::uint64_t value = varint();
    return static_cast<std::int64_t>(value >> 1) ^ -static_cast<std::int64_t>(value & 1);
  }
  std::string_view text(std::size_t most) {
    const auto size = get<std::uint32_t>();
    if (!ok_ || size > most) return ok_ = false, std::string_view{};
    return raw(size);
  }
  std::string_view raw(std::size_t size) {
    if (size > rest_.size()) return ok_ = false, std::string_view{};
    const auto s = rest_.substr(0, size);
    rest_.remove_prefix(size);
    return s;
  }
  bool ok() const { return ok_; }
  bool atEnd() const { return rest_.empty(); }
  std::size_t left() const { return rest_.size(); }

private:
  std::string_view rest_;
  bool ok_ = true;
};

}  // namespace zt
