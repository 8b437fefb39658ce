// SPDX-License-Identifier: GPL-3.0-or-later
// VHDX by the open specification [MS-VHDX].
#include <absl/container/flat_hash_set.h>

#include <algorithm>

#include "core/images/parent_images.h"

namespace zt {

namespace {

constexpr Bytes kibi = 1024;
constexpr Bytes mebi = kibi * kibi;

// Identifiers as they lie in the file.
constexpr std::string_view tableRegion{"\x66\x77\xc2\x2d\x23\xf6\x00\x42\x9d\x64\x11\x5e\x9b\xfd\x4a\x08",
                                       16};
constexpr std::string_view metadataRegion{"\x06\xa2\x7c\x8b\x90\x47\x9a\x4b\xb8\xfe\x57\x5f\x05\x0f\x88\x6e",
                                          16};
constexpr std::string_view parameters{"\x37\x67\xa1\xca\x36\xfa\x43\x4d\xb3\xb6\x33\xf0\xaa\x44\xe7\x6b", 16};
constexpr std::string_view diskSize{"\x24\x42\xa5\x2f\x1b\xcd\x76\x48\xb2\x11\x5d\xbe\xd8\x3b\xf4\xb8", 16};
constexpr std::string_view sectorSize{"\x1d\xbf\x41\x81\x6f\xa9\x09\x47\xba\x47\xf2\x33\xa8\xfa\xab\x5f", 16};

constexpr std::string_view parentLocator{"\x2d\x5f\xd3\xa8\x0b\xb3\x4d\x45\xab\xf7\xd3\xd8\x48\x34\xab\x0c",
                                         16};

class Vhdx {
public:
  Vhdx(DiskBytes& file, const std::stop_token& stop) : file_(file), stop_(stop) {}

  Result<DiskImage> read() {
    image_.format = "vhdx";
    if (auto done = readHeaders(); !done) return tl::unexpected(done.error());
    if (auto done = readRegions(); !done) return tl::unexpected(done.error());
    if (auto done = readMetadata(); !done) return tl::unexpected(done.error());
    if (auto done = readBlocks(); !done) return tl::unexpected(done.error());
    return std::move(image_);
  }

private:
  /// The later one of two counts; a log that was not played back makes the tables be behind.
  Result<void> readHeaders() {
    std::optional<std::uint64_t> latest;
    for (const Bytes at : {64 * kibi, 128 * kibi}) {
      const auto record = bytesAt(file_, at, 4 * kibi);
      if (!record) return tl::unexpected(record.error());
      const Fields header(*record);
      if (!header.has(0, "head") || (latest && header.le64(8) <= *latest)) continue;
      latest = header.le64(8);
      image_.unclean = header.le64(48) != 0 || header.le64(56) != 0;
    }
    return latest ? Result<void>{} : Result<void>(damaged("headers"));
  }

  Result<void> readRegions() {
    for (const Bytes at : {192 * kibi, 256 * kibi}) {
      const auto record = bytesAt(file_, at, 64 * kibi);
      if (!record) return tl::unexpected(record.error());
      const Fields regions(*record);
      if (!regions.has(0, "regi")) continue;
      for (std::size_t i = 0; i < std::min<std::size_t>(regions.le32(8), 2047); ++i) {
        const std::size_t entry = 16 + i * 32;
        const Stretch where{regions.le64(entry + 16), regions.le64(entry + 16) + regions.le32(entry + 24)};
        if (regions.has(entry, tableRegion)) table_ = where;
        if (regions.has(entry, metadataRegion)) metadata_ = where;
      }
      if (!table_.empty() && !metadata_.empty()) return {};
    }
    return damaged("regions");
  }

  Result<void> readMetadata() {
    const auto record = bytesAt(file_, metadata_.from, std::min(metadata_.size(), mebi));
    if (!record) return tl::unexpected(record.error());
    const Fields m(*record);
    if (!m.has(0, "metadata")) return damaged("metadata");
    for (std::size_t i = 0; i < std::min<std::size_t>(m.le16(10), 2047); ++i) {
      const std::size_t entry = 32 + i * 32;
      const std::size_t at = m.le32(entry + 16);
      if (m.has(entry, parameters)) image_.unit = m.le32(at), hasParent_ = (m.le32(at + 4) & 2) != 0;
      if (m.has(entry, diskSize)) image_.guestLength = m.le64(at);
      if (m.has(entry, sectorSize)) sector_ = m.le32(at);
      if (m.has(entry, parentLocator)) image_.backing = parentIn(m, at);
    }
    const bool power = (image_.unit & (image_.unit - 1)) == 0;
    if (!power || image_.unit < mebi || image_.unit > 256 * mebi) return damaged("block size");
    if (sector_ != 512 && sector_ != 4096) return damaged("sector size");
    if (!hasParent_) image_.backing.clear();
    if (hasParent_ && image_.backing.empty()) image_.backing = "parent";
    return {};
  }

  /// Out of a list of keys and values, both UTF-16: the path from the image, else the one from a drive.
  static std::string parentIn(const Fields& m, std::size_t at) {
    std::string found;
    for (std::size_t i = 0; i < std::min<std::size_t>(m.le16(at + 18), 64); ++i) {
      const std::size_t entry = at + 20 + i * 12;
      const std::string key = parentName(m.part(at + m.le32(entry), m.le16(entry + 8)), false);
      std::string value = parentName(m.part(at + m.le32(entry + 4), m.le16(entry + 10)), false);
      if (key == "relative_path" && !value.empty()) return value;
      if (key == "absolute_win32_path") found = std::move(value);
    }
    return found;
  }

  Result<void> readBlocks() {
    const Bytes blocks = image_.guestLength / image_.unit + (image_.guestLength % image_.unit != 0 ? 1 : 0);
    // After so many payload blocks stands one entry for a bitmap of sectors.
    const Bytes ratio = (Bytes{1} << 23) * sector_ / image_.unit;
    if (blocks > (Bytes{1} << 22)) return damaged("size of the table");
    const Bytes maps = blocks == 0 ? 0 : hasParent_ ? (blocks + ratio - 1) / ratio : (blocks - 1) / ratio;
    const Bytes entries = hasParent_ ? maps * (ratio + 1) : blocks + maps;
    if (entries * 8 > table_.size()) return damaged("size of the table");
    const auto bytes = bytesAt(file_, table_.from, entries * 8);
    if (!bytes) return tl::unexpected(bytes.error());
    const Fields table(*bytes);
    RunList runs(image_);
    absl::flat_hash_set<Bytes> seen;
    for (Bytes block = 0; block < blocks; ++block) {
      if (stop_.stop_requested()) return fail(Errc::cancelled, "image");
      const std::uint64_t entry = table.le64((block + block / ratio) * 8);
      constexpr unsigned whole = 6, inParts = 7;
      const unsigned state = entry & 7;
      const Bytes at = (entry >> 20) * mebi;
      if (state != whole && state != inParts) continue;
      if (at < mebi || at >= file_.length()) return damaged("block's place");
      if (!seen.insert(at).second) return damaged("two blocks in one place");
      if (state == inParts && hasParent_) {
        const std::uint64_t map = table.le64((block / ratio * (ratio + 1) + ratio) * 8);
        if (auto parts = addParts(runs, block, at, (map >> 20) * mebi, ratio); !parts) return parts;
      } else if (!runs.add({block * image_.unit, image_.unit, at, 0, GuestRun::Kind::stored})) {
        return damaged("too many runs");
      }
    }
    return {};
  }

  /// A block of which some sectors are the parent's: the bitmap that stands for its chunk says which.
  Result<void> addParts(RunList& runs, Bytes block, Bytes at, Bytes map, Bytes ratio) {
    const Bytes size = image_.unit / sector_ / 8;
    if (map < mebi) return damaged("bitmap's place");
    const auto bits = bytesAt(file_, map + block % ratio * size, size);
    if (!bits) return tl::unexpected(bits.error());
    if (!addSectors(runs, block * image_.unit, at, sector_, *bits, false)) return damaged("too many runs");
    return {};
  }

  DiskBytes& file_;
  const std::stop_token& stop_;
  DiskImage image_;
  Stretch table_;
  Stretch metadata_;
  std::uint32_t sector_ = 512;
  bool hasParent_ = false;
};

}  // namespace

Result<DiskImage> readVhdx(DiskBytes& file, const std::stop_token& stop) {
  if (file.length() < mebi) return fail(Errc::notOurs, "image");
  const auto head = bytesAt(file, 0, 8);
  if (!head) return tl::unexpected(head.error());
  if (*head != "vhdxfile") return fail(Errc::notOurs, "image");
  return Vhdx(file, stop).read();
}

}  // namespace zt
