// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/recycle_record.h"

namespace zt {

namespace {

std::uint64_t number(std::string_view bytes, std::size_t at, std::size_t size) {
  std::uint64_t value = 0;
  for (std::size_t i = size; i-- > 0;) value = value << 8 | static_cast<unsigned char>(bytes[at + i]);
  return value;
}

void appendUtf8(PathBytes& out, std::uint32_t c) {
  if (c < 0x80) {
    out += static_cast<char>(c);
  } else if (c < 0x800) {
    out += static_cast<char>(0xC0 | c >> 6);
    out += static_cast<char>(0x80 | (c & 0x3F));
  } else if (c < 0x10000) {
    out += static_cast<char>(0xE0 | c >> 12);
    out += static_cast<char>(0x80 | (c >> 6 & 0x3F));
    out += static_cast<char>(0x80 | (c & 0x3F));
  } else {
    out += static_cast<char>(0xF0 | c >> 18);
    out += static_cast<char>(0x80 | (c >> 12 & 0x3F));
    out += static_cast<char>(0x80 | (c >> 6 & 0x3F));
    out += static_cast<char>(0x80 | (c & 0x3F));
  }
}

/// Halves of pairs that stand alone become U+FFFD.
PathBytes utf8(std::string_view utf16) {
  PathBytes out;
  for (std::size_t at = 0; at + 1 < utf16.size(); at += 2) {
    auto c = static_cast<std::uint32_t>(number(utf16, at, 2));
    if (c == 0) break;
    if (c >= 0xD800 && c < 0xE000) {
      const auto low = at + 3 < utf16.size() ? static_cast<std::uint32_t>(number(utf16, at + 2, 2)) : 0;
      const bool pair = c < 0xDC00 && low >= 0xDC00 && low < 0xE000;
      c = pair ? 0x10000 + ((c - 0xD800) << 10 | (low - 0xDC00)) : 0xFFFD;
      if (pair) at += 2;
    }
    appendUtf8(out, c);
  }
  return out;
}

}  // namespace

std::optional<RecycleRecord> parseRecycleRecord(std::string_view bytes) {
  constexpr std::size_t head = 24;
  constexpr std::size_t pathOfOne = 520;
  if (bytes.size() < head) return std::nullopt;
  const std::uint64_t version = number(bytes, 0, 8);
  RecycleRecord record;
  record.bytes = number(bytes, 8, 8);
  std::string_view path;
  if (version == 1 && bytes.size() == head + pathOfOne) {
    path = bytes.substr(head);
  } else if (version == 2 && bytes.size() >= head + 4) {
    const std::uint64_t units = number(bytes, head, 4);
    if (units == 0 || units > 32'768 || bytes.size() != head + 4 + units * 2) return std::nullopt;
    path = bytes.substr(head + 4);
  } else {
    return std::nullopt;
  }
  // FILETIME counts 100 ns since 1601; what lies before 1970 or beyond 2200 is no date of a deletion.
  constexpr std::uint64_t epoch = 116'444'736'000'000'000;
  const std::uint64_t time = number(bytes, 16, 8);
  if (time > epoch && time - epoch < 230ULL * 365 * 86'400 * 10'000'000)
    record.deleted = static_cast<TimeNs>((time - epoch) * 100);
  record.path = utf8(path);
  if (record.path.empty()) return std::nullopt;
  return record;
}

}  // namespace zt
