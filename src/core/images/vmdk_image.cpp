// SPDX-License-Identifier: GPL-3.0-or-later
// Sparse and stream-optimised extents of VMDK by the Virtual Disk Format 5.0 specification.
#include <absl/container/flat_hash_set.h>

#include "core/images/disk_image.h"

namespace zt {

namespace {

constexpr Bytes vmdkSector = 512;

class Vmdk {
public:
  Vmdk(DiskBytes& file, const std::stop_token& stop) : file_(file), stop_(stop) {}

  Result<DiskImage> read(std::string head) {
    image_.format = "vmdk";
    image_.packing = Packing::zlib;
    // Where a stream was written, only the copy at its end knows where the tables are.
    if (Fields(head).le64(56) == ~std::uint64_t{0}) {
      if (file_.length() < 1024 + vmdkSector) return damaged("footer");
      auto footer = bytesAt(file_, file_.length() - 1024, vmdkSector);
      if (!footer) return tl::unexpected(footer.error());
      if (!footer->starts_with("KDMV")) return damaged("footer");
      head = std::move(*footer);
    }
    const Fields header(head);
    constexpr std::uint32_t hasZeros = 1u << 2, isPacked = 1u << 16;
    zeros_ = (header.le32(8) & hasZeros) != 0;
    packed_ = (header.le32(8) & isPacked) != 0;
    const Bytes sectors = header.le64(12);
    const Bytes grain = header.le64(20);
    entries_ = header.le32(44);
    if (sectors > (Bytes{1} << 50) || grain == 0 || grain > Bytes{128} * 1024 || (grain & (grain - 1)) != 0)
      return damaged("grain size");
    if (entries_ == 0 || entries_ > Bytes{64} * 1024) return damaged("size of the table");
    image_.guestLength = sectors * vmdkSector;
    image_.unit = grain * vmdkSector;
    image_.unclean = header.u8(72) != 0;
    if (auto text = readDescriptor(header.le64(28), header.le64(36)); !text)
      return tl::unexpected(text.error());
    if (auto tables = readTables(header.le64(56)); !tables) return tl::unexpected(tables.error());
    return std::move(image_);
  }

private:
  Result<void> readDescriptor(Bytes at, Bytes size) {
    if (at == 0 || size == 0 || size > 2048) return {};
    const auto text = bytesAt(file_, at * vmdkSector, size * vmdkSector);
    if (!text) return tl::unexpected(text.error());
    constexpr std::string_view key = "parentFileNameHint=\"";
    if (const auto hint = text->find(key); hint != std::string::npos)
      image_.backing =
          text->substr(hint + key.size(), text->find('"', hint + key.size()) - hint - key.size());
    return {};
  }

  Result<void> readTables(Bytes directoryAt) {
    const Bytes span = entries_ * image_.unit;
    const Bytes tables = image_.guestLength / span + (image_.guestLength % span != 0 ? 1 : 0);
    if (tables > (Bytes{1} << 23)) return damaged("size of the directory");
    if (directoryAt > file_.length() / vmdkSector) return damaged("directory's place");
    const auto directory = bytesAt(file_, directoryAt * vmdkSector, tables * 4);
    if (!directory) return tl::unexpected(directory.error());
    const Fields places(*directory);
    RunList runs(image_);
    for (Bytes t = 0; t < tables; ++t) {
      if (stop_.stop_requested()) return fail(Errc::cancelled, "image");
      const std::uint32_t at = places.le32(t * 4);
      if (at == 0) continue;
      if (!seen_.insert(at).second) return damaged("two tables in one place");
      const auto table = bytesAt(file_, Bytes{at} * vmdkSector, entries_ * 4);
      if (!table) return tl::unexpected(table.error());
      for (Bytes g = 0; g < entries_; ++g)
        if (auto added = addGrain(Fields(*table).le32(g * 4), t * span + g * image_.unit, runs); !added)
          return added;
    }
    return {};
  }

  Result<void> addGrain(std::uint32_t place, Bytes guest, RunList& runs) {
    if (place == 0 || (place == 1 && zeros_) || guest >= image_.guestLength) return {};
    const Bytes at = Bytes{place} * vmdkSector;
    if (at >= file_.length()) return damaged("grain's place");
    if (!seen_.insert(place).second) return damaged("two grains in one place");
    GuestRun run{guest, image_.unit, at, 0, GuestRun::Kind::stored};
    if (packed_) {
      const auto marker = bytesAt(file_, at, 12);
      if (!marker) return tl::unexpected(marker.error());
      const std::uint32_t size = Fields(*marker).le32(8);
      if (size > 2 * image_.unit + vmdkSector) return damaged("grain's size");
      run = {guest, image_.unit, at + 12, size, GuestRun::Kind::packed};
    }
    return runs.add(run) ? Result<void>{} : Result<void>(damaged("too many runs"));
  }

  DiskBytes& file_;
  const std::stop_token& stop_;
  DiskImage image_;
  bool zeros_ = false;
  bool packed_ = false;
  Bytes entries_ = 0;
  absl::flat_hash_set<std::uint32_t> seen_;
};

}  // namespace

Result<DiskImage> readVmdk(DiskBytes& file, const std::stop_token& stop) {
  if (file.length() < vmdkSector) return fail(Errc::notOurs, "image");
  auto head = bytesAt(file, 0, vmdkSector);
  if (!head) return tl::unexpected(head.error());
  // A text that names the files of a disk: those are looked at by themselves.
  if (!head->starts_with("KDMV")) return fail(Errc::notOurs, "image");
  if (Fields(*head).le32(4) > 3) return fail(Errc::unsupported, "image", {}, "version");
  return Vmdk(file, stop).read(std::move(*head));
}

}  // namespace zt
