// SPDX-License-Identifier: GPL-3.0-or-later
// qcow2 versions 2 and 3 by the specification in QEMU's docs/interop/qcow2.txt; version 1 by its header.
#include <absl/container/flat_hash_set.h>

#include <algorithm>

#include "core/images/disk_image.h"

namespace zt {

namespace {

constexpr std::string_view qcowMagic{"QFI\xfb", 4};
constexpr Bytes mostQcowTable = Bytes{32} << 20;
constexpr std::uint64_t qcowOffset = 0x00fffffffffffe00ull;

class Qcow2 {
public:
  Qcow2(DiskBytes& file, const std::stop_token& stop, const Fields& header)
      : file_(file), stop_(stop), header_(header), version_(header.be32(4)), bits_(header.be32(20)) {}

  Result<DiskImage> read() {
    image_.format = "qcow2";
    image_.guestLength = header_.be64(24);
    image_.snapshots = header_.be32(60);
    image_.encrypted = header_.be32(32) != 0;
    if (bits_ < 9 || bits_ > 21) return damaged("cluster size");
    image_.unit = Bytes{1} << bits_;
    if (auto features = readFeatures(); !features) return tl::unexpected(features.error());
    if (auto backing = readBacking(); !backing) return tl::unexpected(backing.error());
    used_.assign(clusters() <= mostMarked ? clusters() : 0, false);
    mark(0);
    if (auto tables = readL1(); !tables) return tl::unexpected(tables.error());
    if (auto counted = findUnused(); !counted) return tl::unexpected(counted.error());
    return std::move(image_);
  }

private:
  static constexpr Bytes mostMarked = Bytes{1} << 27;
  Bytes clusters() const { return (file_.length() + image_.unit - 1) >> bits_; }

  Result<void> readFeatures() {
    if (version_ < 3) return {};
    const std::uint64_t needed = header_.be64(72);
    constexpr std::uint64_t dirty = 1, broken = 2, external = 4, packing = 8, subclusters = 16;
    if ((needed & ~(dirty | broken | external | packing | subclusters)) != 0)
      return fail(Errc::unsupported, "image", {}, "features");
    if ((needed & external) != 0) return fail(Errc::unsupported, "image", {}, "data-elsewhere");
    image_.unclean = (needed & (dirty | broken)) != 0;
    subclusters_ = (needed & subclusters) != 0;
    if (subclusters_ && bits_ < 14) return damaged("cluster size");
    if ((needed & packing) != 0 && header_.u8(104) == 1) image_.packing = Packing::zstd;
    return {};
  }

  Result<void> readBacking() {
    const Bytes at = header_.be64(8);
    const std::uint32_t size = header_.be32(16);
    if (at == 0) return {};
    if (size > 1023) return damaged("backing file's name");
    auto name = bytesAt(file_, at, size);
    if (!name) return tl::unexpected(name.error());
    image_.backing = std::move(*name);
    return {};
  }

  std::size_t entrySize() const { return subclusters_ ? 16 : 8; }

  Result<void> readL1() {
    const Bytes entries = header_.be32(36);
    const Bytes at = header_.be64(40);
    if (entries * 8 > mostQcowTable) return damaged("size of the first table");
    if (entries == 0) return {};
    const auto table = bytesAt(file_, at, entries * 8);
    if (!table) return tl::unexpected(table.error());
    markAll(at, entries * 8);
    const Fields l1(*table);
    const Bytes span = image_.unit / entrySize() * image_.unit;  // of the guest, an entry
    RunList runs(image_);
    for (Bytes i = 0; i < entries; ++i) {
      if (stop_.stop_requested()) return fail(Errc::cancelled, "image");
      const Bytes l2 = l1.be64(i * 8) & qcowOffset;
      if (l2 == 0) continue;
      if (l2 % image_.unit != 0 || l2 + image_.unit > file_.length()) return damaged("second table's place");
      if (!tables_.insert(l2).second) return damaged("two tables in one place");
      if (i > image_.guestLength / std::max<Bytes>(span, 1)) continue;
      if (auto read = readL2(l2, i * span, runs); !read) return read;
    }
    return {};
  }

  Result<void> readL2(Bytes at, Bytes guest, RunList& runs) {
    mark(at >> bits_);
    const auto hole = isHole(file_, {at, at + image_.unit});
    if (!hole) return tl::unexpected(hole.error());
    if (*hole) return {};
    const auto table = bytesAt(file_, at, image_.unit);
    if (!table) return tl::unexpected(table.error());
    const Fields l2(*table);
    for (std::size_t i = 0; i < image_.unit / entrySize(); ++i, guest += image_.unit) {
      const std::uint64_t entry = l2.be64(i * entrySize());
      const std::uint64_t bitmap = subclusters_ ? l2.be64(i * entrySize() + 8) : 0;
      if (entry == 0 && bitmap == 0) continue;
      if (auto added = addCluster(entry, bitmap, guest, runs); !added) return added;
    }
    return {};
  }

  Result<void> addCluster(std::uint64_t entry, std::uint64_t bitmap, Bytes guest, RunList& runs) {
    constexpr std::uint64_t packed = std::uint64_t{1} << 62;
    if ((entry & packed) != 0) return addPacked(entry, guest, runs);
    const Bytes at = entry & qcowOffset;
    const bool zero = version_ >= 3 && !subclusters_ && (entry & 1) != 0;
    if (at != 0) {
      if (at % image_.unit != 0 || at >= file_.length()) return damaged("cluster's place");
      if (isMarked(at >> bits_)) return damaged("two clusters in one place");
      mark(at >> bits_);
    }
    if (subclusters_ && at != 0) return addSubclusters(at, bitmap, guest, runs);
    if (at == 0) return {};
    return add({guest, image_.unit, at, 0, zero ? GuestRun::Kind::zeros : GuestRun::Kind::stored}, runs);
  }

  Result<void> addSubclusters(Bytes at, std::uint64_t bitmap, Bytes guest, RunList& runs) {
    const Bytes part = image_.unit / 32;
    for (unsigned i = 0; i < 32; ++i) {
      const bool stored = (bitmap >> i & 1) != 0;
      // What is neither stored nor zero lies below, though the file has room for it.
      if (!stored && (bitmap >> (32 + i) & 1) == 0) continue;
      const auto kind = stored ? GuestRun::Kind::stored : GuestRun::Kind::zeros;
      if (auto added = add({guest + i * part, part, at + i * part, 0, kind}, runs); !added) return added;
    }
    return {};
  }

  Result<void> addPacked(std::uint64_t entry, Bytes guest, RunList& runs) {
    const unsigned x = 62 - (bits_ - 8);
    const Bytes at = entry & ((std::uint64_t{1} << x) - 1);
    const Bytes sectors = (entry & ((std::uint64_t{1} << 62) - 1)) >> x;
    const Bytes size = (sectors + 1) * 512 - (at & 511);
    if (at >= file_.length()) return damaged("cluster's place");
    markAll(at, size);
    return add({guest, image_.unit, at, static_cast<std::uint32_t>(size), GuestRun::Kind::packed}, runs);
  }

  static Result<void> add(GuestRun run, RunList& runs) {
    return runs.add(run) ? Result<void>{} : Result<void>(damaged("too many runs"));
  }

  void mark(Bytes cluster) {
    if (cluster < used_.size()) used_[cluster] = true;
  }
  void markAll(Bytes at, Bytes size) {
    if (at >= file_.length()) return;
    size = std::min(size, file_.length() - at);
    for (Bytes c = at >> bits_; c << bits_ < at + size; ++c) mark(c);
  }
  bool isMarked(Bytes cluster) const { return cluster < used_.size() && used_[cluster]; }

  /// Clusters that nobody counts on and no table leads to, as far as the file has room for them.
  Result<void> findUnused() {
    if (used_.empty()) return {};
    const Bytes table = header_.be64(48);
    const Bytes size = std::min(Bytes{header_.be32(56)} << bits_, mostQcowTable);
    const unsigned order = version_ >= 3 ? header_.be32(96) : 4;
    if (order > 6) return damaged("size of counts");
    const auto blocks =
        bytesAt(file_, table, std::min(size, file_.length() - std::min(table, file_.length())));
    if (!blocks) return tl::unexpected(blocks.error());
    markAll(table, size);
    const Fields offsets(*blocks);
    const Bytes each = (image_.unit * 8) >> order;
    // A block's own cluster is in use, whatever its count says.
    for (Bytes i = 0; i < blocks->size() / 8; ++i) mark((offsets.be64(i * 8) & qcowOffset) >> bits_);
    for (Bytes first = 0, i = 0; first < clusters(); first += each, ++i) {
      if (stop_.stop_requested()) return fail(Errc::cancelled, "image");
      const Bytes at = i < blocks->size() / 8 ? offsets.be64(i * 8) & qcowOffset : 0;
      if (at == 0) continue;  // none of them is counted
      if (at + image_.unit > file_.length()) return damaged("counts' place");
      if (!tables_.insert(at).second) return damaged("two tables in one place");
      const auto counts = bytesAt(file_, at, image_.unit);
      if (!counts) return tl::unexpected(counts.error());
      const Bytes end = std::min(each, clusters() - first);
      for (Bytes c = 0; c < end; ++c)
        if (isCounted(*counts, c, order)) mark(first + c);
    }
    return weighUnused();
  }

  static bool isCounted(const std::string& counts, Bytes c, unsigned order) {
    if (order < 3) {
      const auto perByte = 8u >> order;
      const auto byte = static_cast<unsigned char>(counts[static_cast<std::size_t>(c / perByte)]);
      const unsigned width = 1u << order;
      return (byte >> (c % perByte * width) & ((1u << width) - 1)) != 0;
    }
    const auto width = static_cast<std::size_t>(1) << (order - 3);
    const std::string_view count(counts.data() + c * width, width);
    return count.find_first_not_of('\0') != std::string_view::npos;
  }

  /// Clusters smaller than a block of the drive come back only where they fill one.
  Result<void> weighUnused() {
    constexpr Bytes block = 4096;
    std::vector<Stretch> idle;
    for (Bytes at = 0; at < file_.length();) {
      const auto data = file_.nextData(at);
      if (!data) return tl::unexpected(data.error());
      if (data->empty()) break;
      for (Bytes c = (data->from + image_.unit - 1) >> bits_; (c + 1) << bits_ <= data->to; ++c)
        if (!used_[c]) append(idle, {c << bits_, (c + 1) << bits_});
      at = std::max(data->to, at + 1);
    }
    image_.unused = common(idle, idle, std::max(block, image_.unit));
    return {};
  }

  DiskBytes& file_;
  const std::stop_token& stop_;
  const Fields& header_;
  std::uint32_t version_;
  std::uint32_t bits_;
  bool subclusters_ = false;
  DiskImage image_;
  std::vector<bool> used_;  ///< by cluster of the file; empty for a file of too many
  absl::flat_hash_set<Bytes> tables_;
};

/// Version 1: one table of tables, clusters wherever they were written, no counts.
Result<DiskImage> readVersion1(DiskBytes& file, const Fields& header, const std::stop_token& stop) {
  DiskImage image;
  image.format = "qcow";
  image.guestLength = header.be64(24);
  image.encrypted = header.be32(36) != 0;
  const unsigned bits = header.u8(32);
  const unsigned l2Bits = header.u8(33);
  if (bits < 9 || bits > 16 || l2Bits < 6 || l2Bits > 13) return damaged("cluster size");
  image.unit = Bytes{1} << bits;
  if (const Bytes at = header.be64(8); at != 0) {
    auto name = bytesAt(file, at, std::min<std::uint32_t>(header.be32(16), 1023));
    if (!name) return tl::unexpected(name.error());
    image.backing = std::move(*name);
  }
  const Bytes span = image.unit << l2Bits;
  const Bytes entries = image.guestLength / span + (image.guestLength % span != 0 ? 1 : 0);
  if (entries * 8 > mostQcowTable) return damaged("size of the first table");
  const auto table = bytesAt(file, header.be64(40), entries * 8);
  if (!table) return tl::unexpected(table.error());
  const Fields l1(*table);
  RunList runs(image);
  absl::flat_hash_set<Bytes> seen;
  for (Bytes i = 0; i < entries; ++i) {
    if (stop.stop_requested()) return fail(Errc::cancelled, "image");
    const Bytes at = l1.be64(i * 8);
    if (at == 0) continue;
    if (!seen.insert(at).second) return damaged("two tables in one place");
    const auto l2Table = bytesAt(file, at, Bytes{8} << l2Bits);
    if (!l2Table) return tl::unexpected(l2Table.error());
    const Fields l2(*l2Table);
    for (Bytes k = 0; k < Bytes{1} << l2Bits; ++k) {
      const std::uint64_t entry = l2.be64(k * 8);
      if (entry == 0) continue;
      GuestRun run{i * span + k * image.unit, image.unit, entry, 0, GuestRun::Kind::stored};
      if ((entry >> 63) != 0) {
        run.kind = GuestRun::Kind::packed;
        run.packed = static_cast<std::uint32_t>(entry >> (63 - bits) & (image.unit - 1));
        run.at = entry & ((std::uint64_t{1} << (63 - bits)) - 1);
      }
      if (run.at >= file.length()) return damaged("cluster's place");
      if (!runs.add(run)) return damaged("too many runs");
    }
  }
  return image;
}

}  // namespace

Result<DiskImage> readQcow(DiskBytes& file, const std::stop_token& stop) {
  const auto head = bytesAt(file, 0, std::min<Bytes>(112, file.length()));
  if (!head) return tl::unexpected(head.error());
  const Fields header(*head);
  if (!header.has(0, qcowMagic) || head->size() < 72) return fail(Errc::notOurs, "image");
  switch (header.be32(4)) {
    case 1:
      return readVersion1(file, header, stop);
    case 2:
    case 3:
      return Qcow2(file, stop, header).read();
    default:
      return fail(Errc::unsupported, "image", {}, "version");
  }
}

}  // namespace zt
