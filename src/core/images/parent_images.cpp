// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/parent_images.h"

namespace zt {

namespace {

void appendLetter(std::string& out, std::uint32_t c) {
  const auto low = [&](int shift) { return static_cast<char>(0x80 | ((c >> shift) & 0x3f)); };
  if (c < 0x80) {
    out += static_cast<char>(c);
  } else if (c < 0x800) {
    out += static_cast<char>(0xc0 | c >> 6);
    out += low(0);
  } else if (c < 0x10000) {
    out += static_cast<char>(0xe0 | c >> 12);
    (out += low(6)) += low(0);
  } else {
    out += static_cast<char>(0xf0 | c >> 18);
    ((out += low(12)) += low(6)) += low(0);
  }
}

}  // namespace

std::string parentName(std::string_view utf16, bool bigEndian) {
  const auto unit = [&](std::size_t at) {
    const auto a = static_cast<unsigned char>(utf16[at]), b = static_cast<unsigned char>(utf16[at + 1]);
    return bigEndian ? std::uint32_t{a} << 8 | b : std::uint32_t{b} << 8 | a;
  };
  std::string name;
  for (std::size_t at = 0; at + 1 < utf16.size(); at += 2) {
    std::uint32_t c = unit(at);
    if (c == 0) break;
    if (c >= 0xd800 && c < 0xdc00 && at + 3 < utf16.size() && unit(at + 2) >= 0xdc00 && unit(at + 2) < 0xe000)
      c = 0x10000 + ((c - 0xd800) << 10) + (unit(at += 2) - 0xdc00);
    appendLetter(name, c == '\\' ? '/' : c);
  }
  const bool ofALetter = name.size() > 2 && name[1] == ':' && name[2] == '/';
  if (ofALetter || name.starts_with('/')) name = name.substr(name.rfind('/') + 1);
  while (name.starts_with("./")) name.erase(0, 2);
  return name;
}

bool addSectors(RunList& runs, Bytes guest, Bytes at, Bytes sector, std::string_view bitmap, bool highFirst) {
  const auto stored = [&](std::size_t i) {
    const auto byte = static_cast<unsigned char>(bitmap[i / 8]);
    return (byte >> (highFirst ? 7 - i % 8 : i % 8) & 1) != 0;
  };
  const std::size_t sectors = bitmap.size() * 8;
  for (std::size_t from = 0; from < sectors;) {
    std::size_t to = from;
    while (to < sectors && stored(to)) ++to;
    if (to > from && !runs.add({guest + from * sector, (to - from) * sector, at + from * sector, 0,
                                GuestRun::Kind::stored}))
      return false;
    from = to + 1;
  }
  return true;
}

std::string vdiName(std::string_view id) {
  std::string name = "vdi:";
  for (const char c : id) {
    constexpr std::string_view digits = "0123456789abcdef";
    name += digits[static_cast<unsigned char>(c) >> 4];
    name += digits[static_cast<unsigned char>(c) & 15];
  }
  return name;
}

std::string vdiOwnName(std::string_view head) {
  const Fields header(head);
  constexpr std::uint32_t magic = 0xbeda107f;
  return head.size() >= 512 && header.le32(0x40) == magic ? vdiName(head.substr(0x188, 16)) : std::string();
}

}  // namespace zt
