// SPDX-License-Identifier: GPL-3.0-or-later
// VHD by the Virtual Hard Disk Image Format Specification 1.0.
#include <absl/container/flat_hash_set.h>

#include <algorithm>

#include "core/images/parent_images.h"

namespace zt {

namespace {

constexpr Bytes footerSize = 512;
constexpr Bytes vhdSector = 512;

/// The footer stands at the end; a copy at the beginning where blocks are given as needed.
Result<std::string> footerOf(DiskBytes& file) {
  if (file.length() < 2 * footerSize) return fail(Errc::notOurs, "image");
  for (const Bytes at : {file.length() - footerSize, Bytes{0}}) {
    auto footer = bytesAt(file, at, footerSize);
    if (!footer || footer->starts_with("conectix")) return footer;
  }
  return fail(Errc::notOurs, "image");
}

/// Whether the sum over the record, its own field left out, is what the field says.
bool sumsUp(const std::string& record, std::size_t field) {
  std::uint32_t sum = 0;
  for (std::size_t i = 0; i < record.size(); ++i)
    if (i < field || i >= field + 4) sum += static_cast<unsigned char>(record[i]);
  return Fields(record).be32(field) == ~sum;
}

/// The name of the parent: by the locator that is relative to the image, else by the name in the header.
std::string parentOf(DiskBytes& file, const Fields& header) {
  constexpr std::size_t locators = 8, nameAt = 64, nameSize = 512;
  constexpr std::uint32_t relative = 0x57327275;  // "W2ru"
  for (std::size_t i = 0; i < locators; ++i) {
    const std::size_t at = 576 + i * 24;
    const std::uint32_t length = header.be32(at + 8);
    if (header.be32(at) != relative || length > 4096) continue;
    const auto text = bytesAt(file, header.be64(at + 16), length);
    if (std::string name = text ? parentName(*text, false) : std::string(); !name.empty()) return name;
  }
  std::string name = parentName(header.part(nameAt, nameSize), true);
  return name.empty() ? "parent" : name;
}

Result<void> readDynamic(DiskBytes& file, Bytes headerAt, bool child, DiskImage& image,
                         const std::stop_token& stop) {
  const auto record = bytesAt(file, headerAt, 1024);
  if (!record) return tl::unexpected(record.error());
  const Fields header(*record);
  if (!header.has(0, "cxsparse")) return damaged("header");
  if (child) image.backing = parentOf(file, header);
  const Bytes entries = header.be32(28);
  image.unit = header.be32(32);
  const bool power = image.unit != 0 && (image.unit & (image.unit - 1)) == 0;
  if (!power || image.unit < vhdSector || image.unit > (Bytes{256} << 20)) return damaged("block size");
  if (entries > (Bytes{1} << 23)) return damaged("size of the table");
  const auto table = bytesAt(file, header.be64(16), entries * 4);
  if (!table) return tl::unexpected(table.error());
  const Fields blocks(*table);
  const Bytes bitmap = (image.unit / vhdSector / 8 + vhdSector - 1) / vhdSector * vhdSector;
  RunList runs(image);
  absl::flat_hash_set<std::uint32_t> seen;
  for (Bytes i = 0; i < entries; ++i) {
    if (stop.stop_requested()) return fail(Errc::cancelled, "image");
    const std::uint32_t at = blocks.be32(i * 4);
    if (at == 0xffffffffu) continue;
    const Bytes data = Bytes{at} * vhdSector + bitmap;
    if (data >= file.length()) return damaged("block's place");
    if (!seen.insert(at).second) return damaged("two blocks in one place");
    bool added = true;
    if (child) {
      const auto sectors = bytesAt(file, Bytes{at} * vhdSector, image.unit / vhdSector / 8);
      if (!sectors) return tl::unexpected(sectors.error());
      added = addSectors(runs, i * image.unit, data, vhdSector, *sectors, true);
    } else {
      added = runs.add({i * image.unit, image.unit, data, 0, GuestRun::Kind::stored});
    }
    if (!added) return damaged("too many runs");
  }
  return {};
}

}  // namespace

Result<DiskImage> readVhd(DiskBytes& file, const std::stop_token& stop) {
  const auto record = footerOf(file);
  if (!record) return tl::unexpected(record.error());
  const Fields footer(*record);
  if (!sumsUp(*record, 64)) return damaged("footer's sum");
  DiskImage image;
  image.format = "vhd";
  image.guestLength = footer.be64(48);
  constexpr std::uint32_t fixed = 2, dynamic = 3, differencing = 4;
  const std::uint32_t type = footer.be32(60);
  Result<void> read = fail(Errc::unsupported, "image", {}, "type");
  if (type == fixed)
    read = RunList(image).addStored(file, std::min(image.guestLength, file.length() - footerSize), stop);
  if (type == dynamic || type == differencing)
    read = readDynamic(file, footer.be64(16), type == differencing, image, stop);
  if (!read) return tl::unexpected(read.error());
  return image;
}

}  // namespace zt
