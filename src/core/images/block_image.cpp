// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/block_image.h"

#include <algorithm>
#include <cstring>
#include <functional>

namespace zt {

namespace {

constexpr Bytes sector = 512, mebi = Bytes{1} << 20;
constexpr std::uint32_t nowhere = 0xffffffff;

tl::unexpected<Error> otherKind() {
  return fail(Errc::unsupported, "image", {}, "kind");
}

Result<std::string> record(DiskBytes& file, Bytes at, Bytes size) {
  return bytesAt(file, at, size);
}

/// Of blocks that are told by a table of whole entries: `placeOf` gives where one begins, nothing for one
/// that is not stored.
void addBlocks(BlockImage& all, Bytes tableAt, const std::string& table, Bytes width,
               const std::function<std::optional<Bytes>(Bytes entry)>& placeOf) {
  for (Bytes i = 0; (i + 1) * width <= table.size(); ++i)
    if (const auto place = placeOf(i)) all.blocks.push_back({i * all.unit, *place, {tableAt + i * width}});
}

/// Header and table end where the blocks begin.
Result<BlockImage> vdi(DiskBytes& file, const DiskImage& image) {
  const auto head = record(file, 0, 512);
  if (!head) return tl::unexpected(head.error());
  const Fields header(*head);
  constexpr std::uint32_t dynamic = 1, zeros = 0xfffffffe;
  if (header.le32(0x4c) != dynamic || header.le32(0x17c) != 0) return otherKind();
  BlockImage all;
  all.unit = image.unit;
  all.begin = header.le32(0x158);
  all.align = image.unit;
  all.countAt = 0x184;
  const Bytes tableAt = header.le32(0x154), size = Bytes{header.le32(0x180)} * 4;
  if (tableAt < 512 || tableAt + size > all.begin || all.begin > 2 * mebi + size) return otherKind();
  const auto table = record(file, tableAt, size);
  if (!table) return tl::unexpected(table.error());
  all.kept = {{0, all.begin}};
  addBlocks(all, tableAt, *table, 4, [&](Bytes i) -> std::optional<Bytes> {
    const std::uint32_t at = Fields(*table).le32(i * 4);
    return at == nowhere || at == zeros ? std::nullopt : std::optional(all.begin + Bytes{at} * image.unit);
  });
  return all;
}

/// The copy of the footer, the header and the table, then blocks with a bitmap of their sectors each.
Result<BlockImage> vhd(DiskBytes& file, const DiskImage& image) {
  const auto foot = record(file, file.length() - sector, sector);
  if (!foot) return tl::unexpected(foot.error());
  constexpr std::uint32_t dynamic = 3;
  if (!foot->starts_with("conectix") || Fields(*foot).be32(60) != dynamic) return otherKind();
  const Bytes headerAt = Fields(*foot).be64(16);
  const auto head = record(file, headerAt, 1024);
  if (!head) return tl::unexpected(head.error());
  const Fields header(*head);
  const Bytes tableAt = header.be64(16), size = Bytes{header.be32(28)} * 4;
  const auto table = record(file, tableAt, size);
  if (!table) return tl::unexpected(table.error());
  BlockImage all;
  all.unit = image.unit;
  all.prefix = (image.unit / sector / 8 + sector - 1) / sector * sector;
  all.entry = BlockImage::Entry::sector32be;
  all.tail = sector;
  if (headerAt < sector || tableAt < headerAt + 1024) return otherKind();
  all.kept = {
      {0, sector}, {headerAt, headerAt + 1024}, {tableAt, (tableAt + size + sector - 1) / sector * sector}};
  all.begin = all.kept.back().to;
  addBlocks(all, tableAt, *table, 4, [&](Bytes i) -> std::optional<Bytes> {
    const std::uint32_t at = Fields(*table).be32(i * 4);
    return at == nowhere ? std::nullopt : std::optional(Bytes{at} * sector);
  });
  return all;
}

constexpr std::string_view tableRegion{"\x66\x77\xc2\x2d\x23\xf6\x00\x42\x9d\x64\x11\x5e\x9b\xfd\x4a\x08",
                                       16};
constexpr std::string_view sectorSize{"\x1d\xbf\x41\x81\x6f\xa9\x09\x47\xba\x47\xf2\x33\xa8\xfa\xab\x5f", 16};

/// What the regions of a VHDX and its log take; `table` becomes that of the blocks.
Result<std::vector<Stretch>> vhdxKept(DiskBytes& file, Stretch& table) {
  std::vector<Stretch> kept{{0, mebi}};
  const auto headers = record(file, 0, mebi);
  if (!headers) return tl::unexpected(headers.error());
  const Fields f(*headers);
  for (const Bytes at : {Bytes{64} * 1024, Bytes{128} * 1024})
    if (f.has(at, "head")) {
      const Bytes log = f.le64(at + 72), size = f.le32(at + 68);
      if (log >= mebi && size > 0 && size <= 64 * mebi) kept.push_back({log, log + size});
    }
  for (const Bytes at : {Bytes{192} * 1024, Bytes{256} * 1024}) {
    if (!f.has(at, "regi")) continue;
    for (Bytes i = 0; i < std::min<Bytes>(f.le32(at + 8), 2047); ++i) {
      const Bytes entry = at + 16 + i * 32;
      const Stretch where{f.le64(entry + 16), f.le64(entry + 16) + f.le32(entry + 24)};
      if (where.from < mebi || where.empty() || where.to > file.length() + mebi) return damaged("regions");
      kept.push_back(where);
      if (f.has(entry, tableRegion)) table = where;
    }
  }
  std::sort(kept.begin(), kept.end(), [](const Stretch& a, const Stretch& b) { return a.from < b.from; });
  kept.erase(std::unique(kept.begin(), kept.end()), kept.end());
  for (std::size_t i = 1; i < kept.size(); ++i)
    if (kept[i].from < kept[i - 1].to) return damaged("regions");
  return kept;
}

Result<Bytes> vhdxSector(DiskBytes& file, const std::vector<Stretch>& kept) {
  for (const Stretch& where : kept) {
    const auto head = record(file, where.from, std::min(where.size(), mebi));
    if (!head) return tl::unexpected(head.error());
    const Fields m(*head);
    if (!m.has(0, "metadata")) continue;
    for (Bytes i = 0; i < std::min<Bytes>(m.le16(10), 2047); ++i)
      if (m.has(32 + i * 32, sectorSize)) return Bytes{m.le32(m.le32(32 + i * 32 + 16))};
  }
  return damaged("metadata");
}

Result<BlockImage> vhdx(DiskBytes& file, const DiskImage& image) {
  Stretch where;
  auto kept = vhdxKept(file, where);
  if (!kept) return tl::unexpected(kept.error());
  const auto bytes = vhdxSector(file, *kept);
  if (!bytes) return tl::unexpected(bytes.error());
  if (*bytes == 0 || where.empty()) return damaged("regions");
  BlockImage all;
  all.unit = image.unit;
  all.begin = all.align = mebi;
  all.entry = BlockImage::Entry::mebi64;
  all.kept = std::move(*kept);
  const Bytes blocks = (image.guestLength + image.unit - 1) / image.unit;
  const Bytes ratio = (Bytes{1} << 23) * *bytes / image.unit;
  const Bytes entries = blocks == 0 ? 0 : blocks + (blocks - 1) / ratio;
  const auto table = record(file, where.from, std::min(where.size(), entries * 8));
  if (!table) return tl::unexpected(table.error());
  constexpr unsigned whole = 6, inParts = 7;
  for (Bytes block = 0; block < blocks; ++block) {
    const Bytes slot = (block + block / ratio) * 8;
    const std::uint64_t entry = Fields(*table).le64(slot);
    if ((entry & 7) == inParts) return otherKind();
    if ((entry & 7) == whole)
      all.blocks.push_back({block * image.unit, (entry >> 20) * mebi, {where.from + slot}});
  }
  return all;
}

/// Header, description and all tables, twice where the header says so, then grains.
Result<BlockImage> vmdk(DiskBytes& file, const DiskImage& image) {
  const auto head = record(file, 0, sector);
  if (!head) return tl::unexpected(head.error());
  const Fields header(*head);
  constexpr std::uint32_t twoDirectories = 1u << 1, isPacked = 1u << 16;
  const std::uint32_t flags = header.le32(8);
  const Bytes perTable = header.le32(44), overhead = header.le64(64) * sector;
  if ((flags & isPacked) != 0 || header.le64(56) == ~std::uint64_t{0} || overhead == 0 ||
      overhead > 64 * mebi || overhead > file.length() || perTable == 0 || image.unit == 0)
    return otherKind();
  BlockImage all;
  all.unit = image.unit;
  all.entry = BlockImage::Entry::sector32;
  all.align = image.unit;
  all.kept = {{0, overhead}};
  all.begin = (overhead + image.unit - 1) / image.unit * image.unit;
  const auto metadata = record(file, 0, overhead);
  if (!metadata) return tl::unexpected(metadata.error());
  const Fields m(*metadata);
  const Bytes grains = (image.guestLength + image.unit - 1) / image.unit;
  const auto slotOf = [&](Bytes directory, Bytes grain) {
    return Bytes{m.le32(directory * sector + grain / perTable * 4)} * sector + grain % perTable * 4;
  };
  const Bytes one = header.le64(56), two = (flags & twoDirectories) != 0 ? header.le64(48) : 0;
  for (Bytes g = 0; g < grains; ++g) {
    std::vector<Bytes> slots;
    for (const Bytes directory : {one, two})
      if (directory != 0) slots.push_back(slotOf(directory, g));
    // Tables that came later lie among the grains, or are not there.
    if (std::any_of(slots.begin(), slots.end(), [&](Bytes at) { return at < sector || at + 4 > overhead; }))
      return otherKind();
    const std::uint32_t place = m.le32(slots.front());
    if (place > 1) all.blocks.push_back({g * image.unit, Bytes{place} * sector, std::move(slots)});
  }
  return all;
}

bool mayGo(const std::vector<Stretch>& leave, Stretch what) {
  const auto at = std::upper_bound(leave.begin(), leave.end(), what.from,
                                   [](Bytes from, const Stretch& s) { return from < s.to; });
  return at != leave.end() && at->from <= what.from && what.to <= at->to;
}

/// Calls `each` with every stored block that has to stay, and how many of its bytes are not zeros.
template <class Each>
Result<void> throughBlocks(DiskBytes& disk, const BlockImage& all, const Compacting& how, const Each& each) {
  std::vector<char> content(static_cast<std::size_t>(std::min<Bytes>(all.unit, mebi)));
  for (const BlockImage::Block& block : all.blocks) {
    if (block.guest >= disk.length()) continue;
    const Bytes end = std::min(block.guest + all.unit, disk.length());
    Bytes holds = 0;
    for (Bytes at = block.guest; at < end; at += content.size()) {
      if (how.stop.stop_requested()) return fail(Errc::cancelled, "compact");
      const auto part =
          std::span(content).first(static_cast<std::size_t>(std::min<Bytes>(content.size(), end - at)));
      if (auto read = disk.read(at, part); !read) return read;
      throughGrains(part, [&](std::size_t, std::span<const char> bytes) { holds += bytes.size(); });
    }
    if (holds > 0 && !mayGo(how.leave, {block.guest, end}))
      if (auto done = each(block, holds); !done) return done;
    if (how.went) how.went(end);
  }
  return {};
}

/// Places for blocks, one behind the other, around what is kept.
class Places {
public:
  explicit Places(const BlockImage& all) : all_(all), next_(all.begin) {}
  Bytes take() {
    const Bytes size = all_.prefix + all_.unit;
    for (bool moved = true; moved;) {
      moved = false;
      next_ = (next_ + all_.align - 1 - (next_ - all_.begin + all_.align - 1) % all_.align);
      for (const Stretch& s : all_.kept)
        if (next_ < s.to && s.from < next_ + size) next_ = s.to, moved = true;
    }
    const Bytes place = next_;
    next_ += size;
    return place;
  }
  Bytes end() const { return next_; }

private:
  const BlockImage& all_;
  Bytes next_;
};

class Rewriter {
public:
  Rewriter(DiskBytes& file, const BlockImage& all, MadeFile& out)
      : file_(file), all_(all), out_(out), places_(all) {}

  Result<void> write(DiskBytes& disk, const Compacting& how) {
    for (const Stretch& s : all_.kept) {
      auto bytes = bytesAt(file_, s.from, s.size());
      if (!bytes) return tl::unexpected(bytes.error());
      kept_.push_back(std::move(*bytes));
    }
    for (const BlockImage::Block& block : all_.blocks)
      if (auto told = tell(block, std::nullopt); !told) return told;
    auto done = throughBlocks(disk, all_, how,
                              [&](const BlockImage::Block& block, Bytes) { return copy(block, how); });
    if (done) done = writeKept();
    return done;
  }

private:
  Result<void> copy(const BlockImage::Block& block, const Compacting& how) {
    const Bytes place = places_.take();
    ++count_;
    if (auto told = tell(block, place); !told) return told;
    std::vector<char> bytes(static_cast<std::size_t>(std::min<Bytes>(all_.prefix + all_.unit, mebi)));
    const Bytes size =
        std::min(all_.prefix + all_.unit, file_.length() - std::min(file_.length(), block.place));
    for (Bytes at = 0; at < size; at += bytes.size()) {
      if (how.stop.stop_requested()) return fail(Errc::cancelled, "compact");
      const auto part =
          std::span(bytes).first(static_cast<std::size_t>(std::min<Bytes>(bytes.size(), size - at)));
      if (auto read = file_.read(block.place + at, part); !read) return read;
      Result<void> put;
      throughGrains(part, [&](std::size_t in, std::span<const char> grains) {
        if (put) put = out_.write(place + at + in, grains);
      });
      if (!put) return put;
    }
    return {};
  }

  /// Into the tables, as they are kept: where a block lies now, or that it is not stored.
  Result<void> tell(const BlockImage::Block& block, std::optional<Bytes> place) {
    std::uint64_t value = 0;
    std::size_t width = 4;
    switch (all_.entry) {
      case BlockImage::Entry::index32:
        value = place ? (*place - all_.begin) / all_.unit : nowhere;
        break;
      case BlockImage::Entry::sector32be:
        value = __builtin_bswap32(place ? static_cast<std::uint32_t>(*place / sector) : nowhere);
        break;
      case BlockImage::Entry::sector32:
        value = place ? *place / sector : 0;
        break;
      case BlockImage::Entry::mebi64:
        width = 8;
        value = place ? (*place / mebi) << 20 | 6 : 0;
        break;
    }
    return std::all_of(block.slots.begin(), block.slots.end(),
                       [&](Bytes at) { return patch(at, value, width); })
               ? Result<void>{}
               : Result<void>(damaged("table"));
  }

  bool patch(Bytes at, std::uint64_t value, std::size_t width) {
    for (std::size_t i = 0; i < kept_.size(); ++i)
      if (all_.kept[i].from <= at && at + width <= all_.kept[i].from + kept_[i].size()) {
        std::memcpy(kept_[i].data() + (at - all_.kept[i].from), &value, width);
        return true;
      }
    return false;
  }

  /// What says that it is an image comes last.
  Result<void> writeKept() {
    Bytes end = places_.end();
    for (const Stretch& s : all_.kept) end = std::max(end, s.to);
    if (all_.countAt && !patch(*all_.countAt, count_, 4)) return damaged("header");
    if (auto done = out_.setLength(end + all_.tail); !done) return done;
    if (all_.tail > 0) {
      const auto tail = bytesAt(file_, file_.length() - all_.tail, all_.tail);
      if (!tail) return tl::unexpected(tail.error());
      if (auto put = out_.write(end, *tail); !put) return put;
    }
    for (std::size_t i = kept_.size(); i-- > 0;)
      if (auto put = out_.write(all_.kept[i].from, kept_[i]); !put) return put;
    return {};
  }

  DiskBytes& file_;
  const BlockImage& all_;
  MadeFile& out_;
  Places places_;
  std::vector<std::string> kept_;
  std::uint64_t count_ = 0;
};

}  // namespace

Result<BlockImage> blockImageOf(DiskBytes& file, const DiskImage& image) {
  if (image.format == "vdi") return vdi(file, image);
  if (image.format == "vhd") return vhd(file, image);
  if (image.format == "vhdx") return vhdx(file, image);
  if (image.format == "vmdk") return vmdk(file, image);
  return otherKind();
}

Result<Bytes> neededFor(DiskBytes& disk, const BlockImage& all, const Compacting& how) {
  Bytes need = all.tail;
  for (const Stretch& s : all.kept) need += s.size();
  const auto done = throughBlocks(disk, all, how, [&](const BlockImage::Block&, Bytes holds) -> Result<void> {
    need += all.prefix + holds;
    return {};
  });
  return done ? Result<Bytes>(need) : tl::unexpected(done.error());
}

Result<void> writeBlocks(DiskBytes& file, DiskBytes& disk, const BlockImage& all, MadeFile& out,
                         const Compacting& how) {
  return Rewriter(file, all, out).write(disk, how);
}

Result<bool> isKeptIn(DiskBytes& file, DiskBytes& rewritten, const BlockImage& all) {
  const std::size_t width = all.entry == BlockImage::Entry::mebi64 ? 8 : 4;
  std::vector<std::pair<Stretch, Bytes>> parts;  // and where they are now
  for (const Stretch& s : all.kept) parts.emplace_back(s, s.from);
  if (all.tail > rewritten.length() || all.tail > file.length()) return false;
  parts.emplace_back(Stretch{file.length() - all.tail, file.length()}, rewritten.length() - all.tail);
  for (const auto& [was, now] : parts) {
    auto one = bytesAt(file, was.from, was.size()), two = bytesAt(rewritten, now, was.size());
    if (!one) return tl::unexpected(one.error());
    if (!two) return tl::unexpected(two.error());
    const auto leaveOut = [&, from = was.from](Bytes at, std::size_t size) {
      for (std::string* bytes : {&*one, &*two})
        if (from <= at && at + size <= from + bytes->size())
          std::memset(bytes->data() + (at - from), 0, size);
    };
    const auto slotIn = [&, from = was.from](Bytes at) {
      return from <= at && at + width <= from + two->size() ? std::string_view(*two).substr(at - from, width)
                                                            : std::string_view{};
    };
    for (const BlockImage::Block& block : all.blocks) {
      // The first is seen where the guest's view is compared; a second table must say the same.
      for (const Bytes slot : block.slots)
        if (slotIn(slot) != slotIn(block.slots.front())) return false;
      for (const Bytes slot : block.slots) leaveOut(slot, width);
    }
    if (all.countAt) leaveOut(*all.countAt, 4);
    if (*one != *two) return false;
  }
  return true;
}

CompactWay compactWay(DiskBytes& file, const DiskImage& image) {
  if (image.format == "sparse-bundle") return CompactWay::none;
  if (image.format == "raw") return CompactWay::whereItLies;
  if (image.format == "qcow2") return CompactWay::anew;
  const auto blocks = blockImageOf(file, image);
  if (blocks) return CompactWay::anew;
  return blocks.error().code == Errc::unsupported ? CompactWay::whereItLies : CompactWay::none;
}

std::vector<Stretch> inFile(const DiskImage& image, const std::vector<Stretch>& guest) {
  std::vector<Stretch> all;
  auto at = guest.begin();
  for (const GuestRun& run : image.runs) {
    while (at != guest.end() && at->to <= run.guest) ++at;
    if (run.kind != GuestRun::Kind::stored) continue;
    for (auto one = at; one != guest.end() && one->from < run.end(); ++one) {
      const Bytes from = std::max(one->from, run.guest), to = std::min(one->to, run.end());
      all.push_back({run.at + (from - run.guest), run.at + (to - run.guest)});
    }
  }
  std::sort(all.begin(), all.end(), [](const Stretch& a, const Stretch& b) { return a.from < b.from; });
  std::vector<Stretch> joined;
  for (const Stretch& s : all) append(joined, s);
  return joined;
}

namespace {
Compacting ofFile(const DiskImage& image, Compacting how) {
  how.leave = inFile(image, how.leave);
  return how;
}
}  // namespace

Result<Bytes> neededFor(DiskBytes& file, DiskBytes& disk, const DiskImage& image, const Compacting& how) {
  if (image.format == "qcow2") return neededFor(disk, how);
  if (compactWay(file, image) == CompactWay::whereItLies) return neededAsItIs(file, ofFile(image, how));
  const auto blocks = blockImageOf(file, image);
  return blocks ? neededFor(disk, *blocks, how) : tl::unexpected(blocks.error());
}

Result<void> rewrite(DiskBytes& file, DiskBytes& disk, const DiskImage& image, MadeFile& out,
                     const Compacting& how) {
  if (image.format == "qcow2") return writeQcow2(disk, out, how);
  if (compactWay(file, image) == CompactWay::whereItLies) return writeAsItIs(file, out, ofFile(image, how));
  const auto blocks = blockImageOf(file, image);
  return blocks ? writeBlocks(file, disk, *blocks, out, how) : tl::unexpected(blocks.error());
}

Result<bool> isTheSame(DiskBytes& file, const DiskImage& image, DiskBytes& rewritten, const DiskImage& now,
                       const Compacting& how) {
  const auto same = [](const Result<std::optional<Bytes>>& differs) {
    return differs ? Result<bool>(!*differs) : tl::unexpected(differs.error());
  };
  if (compactWay(file, image) == CompactWay::whereItLies)
    return same(firstDifference(file, rewritten, ofFile(image, how)));
  Result<bool> says = false;
  if (image.format == "qcow2") {
    says = isWholeQcow2(rewritten, image.guestLength);
  } else {
    const auto blocks = blockImageOf(file, image);
    if (!blocks) return tl::unexpected(blocks.error());
    says = isKeptIn(file, rewritten, *blocks);
  }
  if (!says || !*says) return says;
  GuestDisk one(file, image), two(rewritten, now);
  return same(firstDifference(one, two, how));
}

}  // namespace zt
