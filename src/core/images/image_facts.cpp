// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/image_facts.h"

#include <algorithm>
#include <cstring>

#include "core/images/block_image.h"
#include "core/images/partitions.h"

namespace zt {

namespace {

/// Smaller runs of zeros do not come back from a format that gives room in units: a new image has units of
/// this size at least.
constexpr Bytes unitOfNew = Bytes{64} * 1024;

/// What drives store files in; a hole is as large at least.
constexpr Bytes driveBlock = 4096;

class Look {
public:
  Look(DiskBytes& file, const DiskImage& image, const ImageOptions& options)
      : file_(file), image_(image), options_(options) {}

  Result<ImageFacts> run() {
    facts_.format = image_.format;
    facts_.outside = options_.outside;
    facts_.guestLength = image_.guestLength;
    facts_.allocated = image_.allocated();
    facts_.backing = image_.backing;
    facts_.snapshots = image_.snapshots;
    facts_.encrypted = image_.encrypted;
    facts_.unclean = image_.unclean;
    way_ = compactWay(file_, image_);
    facts_.rewritten = way_ != CompactWay::none;
    facts_.lies = way_ == CompactWay::whereItLies;
    if (!image_.backing.empty() && options_.below) below_ = options_.below(image_.backing);
    facts_.backingRead = below_ != nullptr;
    if (!image_.encrypted && (image_.backing.empty() || below_))
      if (auto inside = lookInside(); !inside) return tl::unexpected(inside.error());
    if (auto zeros = findZeros(); !zeros) return tl::unexpected(zeros.error());
    weigh();
    return std::move(facts_);
  }

private:
  Result<void> lookInside() {
    GuestDisk disk(file_, image_, below_.get());
    std::vector<Stretch> parts;
    if (auto table = readPartitions(disk))
      parts = std::move(table->parts);
    else if (table.error().code != Errc::notOurs)
      return tl::unexpected(table.error());
    else
      parts.push_back({0, disk.length()});
    std::size_t pieces = 0;
    for (const Stretch& part : parts) {
      PartSource volume(disk, part);
      auto known = lookAtVolume(volume, options_.stop);
      if (!known && known.error().code != Errc::corrupt) return tl::unexpected(known.error());
      GuestVolume v = known ? std::move(*known) : GuestVolume{};
      v.on = part;
      for (Stretch& f : v.free) f = {part.from + f.from, std::min(part.from + f.to, part.to)};
      std::erase_if(v.free, [](const Stretch& f) { return f.empty(); });
      facts_.unclean = facts_.unclean || v.unclean;
      // One volume may be in a million pieces, a hundred of them may not: of those only the sum is told.
      constexpr std::size_t mostPieces = 1'000'000;
      if (pieces + v.free.size() > mostPieces) v.free = {};
      pieces += v.free.size();
      facts_.volumes.push_back(std::move(v));
    }
    for (const GuestVolume& v : facts_.volumes)
      if (v.used) facts_.inside = facts_.inside.value_or(0) + *v.used;
    // Of what nobody can read all that is stored counts as used.
    if (facts_.inside)
      for (const GuestVolume& v : facts_.volumes)
        if (!v.used) *facts_.inside += common(image_.stored(), {v.on}, 1);
    return {};
  }

  Bytes zeroUnit() const {
    return image_.format == "sparse-bundle" ? image_.unit : std::max(image_.unit, unitOfNew);
  }

  /// Blocks of zeros among what the file has room for, as stretches of the guest's disk. What is packed gives
  /// next to nothing.
  Result<void> findZeros() {
    facts_.zerosRead = options_.readZeros;
    std::vector<Stretch> plain;
    for (const GuestRun& run : image_.runs) {
      if (run.kind != GuestRun::Kind::packed) append(plain, {run.guest, run.end()});
      if (run.kind == GuestRun::Kind::zeros && !options_.readZeros) append(zeros_, {run.guest, run.end()});
    }
    if (!options_.readZeros) return {};
    GuestDisk disk(file_, image_);
    const Bytes unit = std::min(image_.unit, driveBlock);
    std::vector<char> buffer(std::size_t{1} << 20);
    for (const Stretch& stretch : plain)
      for (Bytes at = (stretch.from + unit - 1) / unit * unit; at + unit <= stretch.to;) {
        if (options_.stop.stop_requested()) return fail(Errc::cancelled, "image");
        const Bytes size = std::min<Bytes>(buffer.size() / unit * unit, (stretch.to - at) / unit * unit);
        const auto part = std::span(buffer).first(static_cast<std::size_t>(size));
        if (auto read = disk.read(at, part); !read) return read;
        if (options_.read != nullptr) *options_.read += size;
        if (options_.turn) options_.turn();
        for (Bytes u = 0; u < size; u += unit)
          if (allZeros(part.subspan(static_cast<std::size_t>(u), static_cast<std::size_t>(unit))))
            append(zeros_, {at + u, at + u + unit});
        at += size;
      }
    return {};
  }

  void weigh() {
    // Where they were not read they are what the tables say, whole as they are.
    facts_.least = std::min(leastBack() + setAside(), facts_.outside);
    // Where the file system packs what it stores, bytes of the file are not bytes of the drive.
    const Bytes told = storedInFile() + image_.unused;
    if (facts_.outside < told) facts_.least -= std::min(facts_.least, told - facts_.outside);
    std::vector<Stretch> gone = zeros_;
    for (const GuestVolume& v : facts_.volumes) gone.insert(gone.end(), v.free.begin(), v.free.end());
    facts_.most = facts_.outside - std::min(facts_.outside, staysOf(merged(gone)));
    facts_.least = std::min(facts_.least, facts_.most);
  }

  Bytes leastBack() const {
    // What is made compact where it lies gives back whole blocks of the file.
    if (way_ == CompactWay::whereItLies) {
      Bytes whole = 0;
      for (const Stretch& s : inFile(image_, zeros_)) whole += wholeBlocks(s);
      return whole;
    }
    const Bytes zeros = facts_.zerosRead ? common(plainRuns(), zeros_, zeroUnit()) : sum(zeros_);
    return image_.unused + zeros;
  }

  static Bytes wholeBlocks(const Stretch& s) {
    const Bytes from = (s.from + driveBlock - 1) / driveBlock * driveBlock,
                to = s.to / driveBlock * driveBlock;
    return to - std::min(from, to);
  }

  /// Room of a raw one that is no data: it reads as zeros, and is given back as those are.
  Bytes setAside() const {
    if (image_.format != "raw") return 0;
    Bytes whole = 0;
    for (const Stretch& s : options_.setAside) whole += wholeBlocks(s);
    return whole - std::min(whole, common(plainRuns(), options_.setAside, 1));
  }

  /// What a new image has to hold of this one without what is gone, a sorted list of the guest's disk. It is
  /// written in blocks of the drive, and the rest of its units are holes.
  Bytes staysOf(const std::vector<Stretch>& gone) const {
    const std::vector<Stretch> plain = plainRuns();
    Bytes packed = 0;
    auto at = gone.begin();
    for (const GuestRun& run : image_.runs) {
      if (run.kind != GuestRun::Kind::packed) continue;
      while (at != gone.end() && at->to <= run.guest) ++at;
      // How much smaller it is packed without a part of it nobody knows.
      if (at == gone.end() || at->from >= run.end()) packed += run.packed;
    }
    const Bytes room = common(plain, gone, std::min(image_.unit, driveBlock));
    return packed + sum(plain) - std::min(sum(plain), room);
  }

  std::vector<Stretch> plainRuns() const {
    std::vector<Stretch> plain;
    for (const GuestRun& run : image_.runs)
      if (run.kind != GuestRun::Kind::packed) append(plain, {run.guest, run.end()});
    return plain;
  }

  Bytes storedInFile() const {
    Bytes all = 0;
    for (const GuestRun& run : image_.runs)
      all += run.kind == GuestRun::Kind::packed ? run.packed : run.length;
    return all;
  }

  static Bytes sum(const std::vector<Stretch>& all) {
    Bytes bytes = 0;
    for (const Stretch& s : all) bytes += s.size();
    return bytes;
  }

  static std::vector<Stretch> merged(std::vector<Stretch> all) {
    const auto before = [](const Stretch& a, const Stretch& b) { return a.from < b.from; };
    if (!std::is_sorted(all.begin(), all.end(), before)) std::sort(all.begin(), all.end(), before);
    std::vector<Stretch> joined;
    for (const Stretch& s : all)
      if (!joined.empty() && s.from <= joined.back().to)
        joined.back().to = std::max(joined.back().to, s.to);
      else
        append(joined, s);
    return joined;
  }

  DiskBytes& file_;
  const DiskImage& image_;
  const ImageOptions& options_;
  std::unique_ptr<DiskBytes> below_;
  ImageFacts facts_;
  std::vector<Stretch> zeros_;
  CompactWay way_ = CompactWay::none;
};

}  // namespace

Result<ImageFacts> lookInto(DiskBytes& file, const ImageOptions& options) {
  const auto image = readImage(file, options.stop);
  if (!image) return tl::unexpected(image.error());
  return lookInto(file, *image, options);
}

Result<ImageFacts> lookInto(DiskBytes& file, const DiskImage& image, const ImageOptions& options) {
  return Look(file, image, options).run();
}

Result<bool> mayBeImage(DiskBytes& file) {
  constexpr Bytes headSize = Bytes{4096} * 2, superAt = Bytes{64} * 1024;
  if (file.length() < headSize) return false;
  const auto head = bytesAt(file, 0, headSize);
  if (!head) return tl::unexpected(head.error());
  const Fields f(*head);
  const bool told = f.has(0, "QFI\xfb") || f.has(0, "vhdxfile") || f.has(0, "KDMV") || f.has(0, "conectix") ||
                    f.le32(0x40) == 0xbeda107f || f.le16(510) == 0xaa55 || f.has(512, "EFI PART") ||
                    f.has(4096, "EFI PART") || f.le16(1080) == 0xef53 || f.has(0, "XFSB");
  if (told) return true;
  if (file.length() > superAt + 4096) {
    const auto super = bytesAt(file, superAt, 4096);
    if (!super) return tl::unexpected(super.error());
    if (Fields(*super).has(64, "_BHRfS_M")) return true;
  }
  const auto footer = bytesAt(file, file.length() - 512, 512);
  if (!footer) return tl::unexpected(footer.error());
  return footer->starts_with("conectix");
}

}  // namespace zt
