// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <bit>
#include <cstdint>
#include <cstring>
#include <string_view>

namespace zt {

/// Numbers in a record of bytes. Beyond its end everything is 0.
class Fields {
public:
  explicit Fields(std::string_view bytes) : bytes_(bytes) {}
  std::uint8_t u8(std::size_t at) const { return number<std::uint8_t>(at); }
  std::uint16_t le16(std::size_t at) const { return number<std::uint16_t>(at); }
  std::uint32_t le32(std::size_t at) const { return number<std::uint32_t>(at); }
  std::uint64_t le64(std::size_t at) const { return number<std::uint64_t>(at); }
  std::uint16_t be16(std::size_t at) const { return __builtin_bswap16(le16(at)); }
  std::uint32_t be32(std::size_t at) const { return __builtin_bswap32(le32(at)); }
  std::uint64_t be64(std::size_t at) const { return __builtin_bswap64(le64(at)); }
  bool has(std::size_t at, std::string_view text) const { return part(at, text.size()) == text; }
  /// So many bytes, fewer where the record ends.
  std::string_view part(std::size_t at, std::size_t size) const {
    return at <= bytes_.size() ? bytes_.substr(at, size) : std::string_view{};
  }
  std::size_t size() const { return bytes_.size(); }

private:
  template <class T>
  T number(std::size_t at) const {
    static_assert(std::endian::native == std::endian::little, "records are read as they lie in memory");
    T value = 0;
    if (at < bytes_.size() && bytes_.size() - at >= sizeof(T))
      std::memcpy(&value, bytes_.data() + at, sizeof value);
    return value;
  }
  std::string_view bytes_;
};

}  // namespace zt
