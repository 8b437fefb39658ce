// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/path_bytes.h"

#include <algorithm>
#include <cstdint>

namespace zt {

namespace {

/// Length of the valid UTF-8 sequence at `at` (Unicode 15, table 3-7), 0 if there is none; the code point
/// goes to `point`.
std::size_t utf8Length(std::string_view s, std::size_t at, std::uint32_t& point) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(s[i]); };
  const unsigned char first = byte(at);
  std::size_t length = first < 0x80                    ? 1
                       : first >= 0xC2 && first < 0xE0 ? 2
                       : first >= 0xE0 && first < 0xF0 ? 3
                       : first >= 0xF0 && first < 0xF5 ? 4
                                                       : 0;
  if (length == 0 || at + length > s.size()) return 0;
  point = length == 1 ? first : first & (0xFFu >> (length + 1));
  for (std::size_t i = 1; i < length; ++i) {
    if ((byte(at + i) & 0xC0u) != 0x80u) return 0;
    point = (point << 6) | (byte(at + i) & 0x3Fu);
  }
  if (length == 3 && (point < 0x800 || (point >= 0xD800 && point < 0xE000))) return 0;
  if (length == 4 && (point < 0x10000 || point > 0x10FFFF)) return 0;
  return length;
}

bool mustEscape(std::uint32_t point) {
  return point < 0x20 || (point >= 0x7F && point < 0xA0) || point == '\\' ||
         (point >= 0x200B && point <= 0x200F) || (point >= 0x2028 && point <= 0x202E) ||
         (point >= 0x2060 && point <= 0x2069) || point == 0x061C || point == 0xFEFF;
}

int hexValue(char c) {
  if (c >= '0' && c <= '9') return c - '0';
  if (c >= 'a' && c <= 'f') return c - 'a' + 10;
  if (c >= 'A' && c <= 'F') return c - 'A' + 10;
  return -1;
}

}  // namespace

PathBytes joinPath(std::string_view a, std::string_view b) {
  if (a.empty()) return PathBytes(b);
  if (b.empty()) return PathBytes(a);
  PathBytes joined(a);
  if (joined.back() != '/') joined += '/';
  joined += b.front() == '/' ? b.substr(1) : b;
  return joined;
}

std::vector<std::string_view> splitPath(std::string_view path) {
  std::vector<std::string_view> parts;
  std::size_t at = 0;
  while (at < path.size()) {
    const std::size_t slash = std::min(path.find('/', at), path.size());
    if (slash > at) parts.push_back(path.substr(at, slash - at));
    at = slash + 1;
  }
  return parts;
}

std::string_view parentPath(std::string_view path) {
  const auto slash = path.rfind('/');
  return slash == std::string_view::npos ? std::string_view{} : path.substr(0, slash);
}

std::string_view baseName(std::string_view path) {
  const auto slash = path.rfind('/');
  return slash == std::string_view::npos ? path : path.substr(slash + 1);
}

std::string escapePath(std::string_view bytes) {
  static constexpr char digits[] = "0123456789abcdef";
  std::string out;
  out.reserve(bytes.size());
  const auto escape = [&](unsigned char c) {
    out += "\\x";
    out += digits[c >> 4];
    out += digits[c & 15];
  };
  for (std::size_t at = 0; at < bytes.size();) {
    std::uint32_t point = 0;
    const std::size_t length = utf8Length(bytes, at, point);
    if (length != 0 && !mustEscape(point)) {
      out += bytes.substr(at, length);
      at += length;
    } else {
      for (std::size_t i = 0; i < std::max<std::size_t>(length, 1); ++i)
        escape(static_cast<unsigned char>(bytes[at + i]));
      at += std::max<std::size_t>(length, 1);
    }
  }
  return out;
}

PathBytes unescapePath(std::string_view text) {
  PathBytes out;
  out.reserve(text.size());
  for (std::size_t at = 0; at < text.size(); ++at) {
    if (text[at] == '\\' && at + 3 < text.size() && text[at + 1] == 'x' && hexValue(text[at + 2]) >= 0 &&
        hexValue(text[at + 3]) >= 0) {
      out += static_cast<char>(hexValue(text[at + 2]) * 16 + hexValue(text[at + 3]));
      at += 3;
    } else {
      out += text[at];
    }
  }
  return out;
}

bool needsEscape(std::string_view bytes) {
  return escapePath(bytes) != bytes;
}

std::optional<PathBytes> withoutDots(std::string_view path) {
  std::vector<std::string_view> kept;
  for (const auto part : splitPath(path)) {
    if (part == ".") continue;
    if (part != "..") {
      kept.push_back(part);
    } else if (kept.empty()) {
      return std::nullopt;
    } else {
      kept.pop_back();
    }
  }
  PathBytes plain;
  for (const auto part : kept) plain = joinPath(plain, part);
  return plain;
}

std::string lowered(std::string_view text) {
  std::string out(text);
  std::transform(out.begin(), out.end(), out.begin(),
                 [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; });
  return out;
}

bool plainRelative(std::string_view path) {
  if (path.empty() || path.front() == '/' || path.back() == '/' || path.find('\0') != std::string_view::npos)
    return false;
  if (path.find("//") != std::string_view::npos) return false;
  for (const auto part : splitPath(path))
    if (part == "." || part == ".." || part.size() > 255) return false;
  return true;
}

}  // namespace zt
