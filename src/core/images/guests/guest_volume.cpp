// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/guests/guest_volume.h"

#include <algorithm>
#include <array>
#include <cstring>

namespace zt {

Result<GuestVolume> lookAtVolume(DiskBytes& volume, const std::stop_token& stop) {
  // What is named stands where some file systems leave room: those are asked first, but FAT, whose first
  // sector others carry for show.
  for (const auto reader : {readNtfs, readExfat, readExt, readXfs, readBtrfs, readNamed, readFat}) {
    auto known = reader(volume, stop);
    if (known) {
      known->on = {0, volume.length()};
      return known;
    }
    if (known.error().code != Errc::notOurs) return known;
  }
  GuestVolume unknown;
  unknown.on = {0, volume.length()};
  return unknown;
}

Result<GuestVolume> readNamed(DiskBytes& volume, const std::stop_token& /*stop*/) {
  struct Sign {
    const char* system;
    Bytes at;
    std::string_view text;
  };
  static constexpr std::array<Sign, 11> signs{{{"swap", 4086, "SWAPSPACE2"},
                                               {"lvm", 512, "LABELONE"},
                                               {"luks", 0, {"LUKS\xba\xbe", 6}},
                                               {"bitlocker", 3, "-FVE-FS-"},
                                               {"apfs", 32, "NXSB"},
                                               {"hfs+", 1024, {"H+\0\x04", 4}},
                                               {"hfs+", 1024, {"HX\0\x05", 4}},
                                               {"iso9660", 32769, "CD001"},
                                               {"squashfs", 0, "hsqs"},
                                               {"raid", 4096, {"\xfc\x4e\x2b\xa9", 4}},
                                               {"f2fs", 1024, {"\x10\x20\xf5\xf2", 4}}}};
  for (const Sign& sign : signs) {
    if (sign.at + sign.text.size() > volume.length()) continue;
    const auto there = bytesAt(volume, sign.at, sign.text.size());
    if (!there) return tl::unexpected(there.error());
    if (*there != sign.text) continue;
    GuestVolume known;
    known.system = sign.system;
    return known;
  }
  return fail(Errc::notOurs, "volume");
}

void FreeBits::take(std::string_view bytes, Bytes units) {
  for (Bytes u = 0; u < units;) {
    if (u / 8 >= bytes.size()) {  // of the rest nothing is known: it counts as taken
      at_ += (units - u) * unit_;
      break;
    }
    if (u % 64 == 0 && units - u >= 64 && bytes.size() - u / 8 >= 8) {  // most are all alike
      std::uint64_t many = 0;
      std::memcpy(&many, bytes.data() + u / 8, sizeof many);
      if (many == 0 || many == ~std::uint64_t{0}) {
        many == 0 ? allFree(64) : static_cast<void>(at_ += 64 * unit_);
        u += 64;
        continue;
      }
    }
    const auto byte = static_cast<unsigned char>(bytes[u / 8]);
    if (u % 8 == 0 && (byte == 0xff || byte == 0) && units - u >= 8) {
      if (byte == 0)
        allFree(8);
      else
        at_ += 8 * unit_;
      u += 8;
      continue;
    }
    if ((byte >> (u % 8) & 1) == 0)
      allFree(1);
    else
      at_ += unit_;
    ++u;
  }
}

void FreeBits::allFree(Bytes units) {
  constexpr std::size_t most = 4'000'000;
  free_ += units;
  const Stretch next{at_, at_ + units * unit_};
  if (volume_.free.size() < most || (!volume_.free.empty() && volume_.free.back().to == next.from))
    append(volume_.free, next);
  at_ = next.to;
}

}  // namespace zt
