// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/btrfs/btrfs_nodes.h"

#include <xxhash.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <numeric>

namespace zt {

namespace {

constexpr Bytes superAt = Bytes{64} * 1024;
constexpr std::size_t superSize = 4096;
constexpr std::size_t keySize = 17, headSize = 101, itemSize = 25, pointerSize = 33;
constexpr Bytes mostAtOnce = Bytes{1} << 20;
constexpr Bytes gapReadThrough = Bytes{128} * 1024;
constexpr std::uint8_t chunkItem = 228;
// Profiles of chunks.
constexpr std::uint64_t stripe0 = 8, stripe10 = 64, parity = 128 | 256;

tl::unexpected<Error> broken(const char* what) {
  return fail(Errc::corrupt, "trees", {}, what);
}

constexpr std::size_t checksumSize = 32;
constexpr std::uint16_t byCrc32c = 0, byXxh64 = 1;

/// CRC-32C (RFC 3720, section B.4), a byte at a time.
std::uint32_t crcByTable(std::uint32_t crc, std::string_view bytes) {
  static constexpr auto table = [] {
    std::array<std::uint32_t, 256> t{};
    for (std::uint32_t i = 0; i < t.size(); ++i) {
      t[i] = i;
      for (int bit = 0; bit < 8; ++bit) t[i] = t[i] >> 1 ^ ((t[i] & 1) != 0 ? 0x82F63B78u : 0);
    }
    return t;
  }();
  for (const char c : bytes) crc = crc >> 8 ^ table[(crc ^ static_cast<unsigned char>(c)) & 0xff];
  return crc;
}

#if defined(__x86_64__)
__attribute__((target("sse4.2"))) std::uint32_t crcByProcessor(std::uint32_t crc, std::string_view bytes) {
  std::uint64_t wide = crc;
  for (; bytes.size() >= sizeof wide; bytes.remove_prefix(sizeof wide)) {
    std::uint64_t next = 0;
    std::memcpy(&next, bytes.data(), sizeof next);
    wide = __builtin_ia32_crc32di(wide, next);
  }
  return crcByTable(static_cast<std::uint32_t>(wide), bytes);
}
#endif

std::uint32_t crc32c(std::string_view bytes) {
#if defined(__x86_64__)
  if (__builtin_cpu_supports("sse4.2")) return ~crcByProcessor(~0u, bytes);
#endif
  return ~crcByTable(~0u, bytes);
}

/// Whether a record is whole: its checksum stands in its first 32 bytes.
bool isWhole(std::string_view record, std::uint16_t kind) {
  const Fields f(record);
  const std::string_view rest = record.substr(checksumSize);
  return kind == byCrc32c ? f.le32(0) == crc32c(rest) : f.le64(0) == XXH64(rest.data(), rest.size(), 0);
}

BtrfsKey keyAt(const Fields& f, std::size_t at) {
  return {f.le64(at), f.u8(at + 8), f.le64(at + 9)};
}

}  // namespace

BtrfsKey BtrfsNodes::Node::key(std::uint32_t i) const {
  return keyAt(fields, headSize + i * (is.level == 0 ? itemSize : pointerSize));
}

BtrfsPointer BtrfsNodes::Node::child(std::uint32_t i) const {
  const std::size_t at = headSize + i * pointerSize + keySize;
  return {fields.le64(at), fields.le64(at + 8), static_cast<std::uint8_t>(is.level - 1)};
}

std::string_view BtrfsNodes::Node::data(std::uint32_t i) const {
  const std::size_t at = headSize + i * itemSize + keySize;
  return fields.part(headSize + fields.le32(at), fields.le32(at + 4));
}

Result<void> BtrfsNodes::begin(std::uint64_t device) {
  BtrfsDevice* const first = devices_(device);
  if (first == nullptr) return fail(Errc::away, "trees");
  memory_ = {static_cast<char*>(std::aligned_alloc(4096, mostAtOnce)), std::free};
  chunks_.clear();
  pieceAt_ = pieceEnd_ = 0;
  if (!first->read(superAt, {memory_.get(), superSize})) return fail(Errc::io, "trees");
  const std::string super(memory_.get(), superSize);
  const Fields f(super);
  if (!f.has(64, "_BHRfS_M")) return fail(Errc::notOurs, "trees");
  checksum_ = f.le16(196);
  if (checksum_ != byCrc32c && checksum_ != byXxh64) return fail(Errc::unsupported, "trees");
  if (!isWhole(super, checksum_)) return broken("superblock");
  // Mixed groups, big metadata, free space trees and such change nothing here; another extent tree, zones and
  // metadata that lies elsewhere do.
  constexpr std::uint64_t known = 0xfff, raidStripes = 1u << 14, simpleQuota = 1u << 16;
  if ((f.le64(188) & ~(known | raidStripes | simpleQuota)) != 0) return fail(Errc::unsupported, "trees");
  fsid_ = f.part((f.le64(188) & 0x400) != 0 ? 571 : 32, 16);
  nodeSize_ = f.le32(148);
  rootTree_ = {f.le64(80), f.le64(72), f.u8(198)};
  if (nodeSize_ < 4096 || nodeSize_ > 65536 || (nodeSize_ & (nodeSize_ - 1)) != 0) return broken("node size");
  constexpr std::size_t systemChunks = 811, most = 2048;
  const std::size_t size = f.le32(160);
  if (size > most) return broken("chunks");
  for (std::size_t at = systemChunks; at + keySize + 80 <= systemChunks + size;) {
    const std::size_t stripes = f.le16(at + keySize + 44);
    if (!addChunk(f, at + keySize, f.le64(at + 9))) return fail(Errc::unsupported, "trees");
    at += keySize + 48 + stripes * 32;
  }
  const BtrfsPointer chunkTree{f.le64(88), f.le64(164), f.u8(199)};
  bool readable = true;
  std::vector<std::pair<Bytes, std::string>> found;
  auto read = eachItem(chunkTree,
                       [&](const BtrfsKey& key, std::string_view data) {
                         if (key.type == chunkItem) found.emplace_back(key.offset, data);
                       },
                       {});
  if (!read) return read;
  chunks_.clear();
  for (const auto& [logical, data] : found) readable = addChunk(Fields(data), 0, logical) && readable;
  if (!readable) return fail(Errc::unsupported, "trees");
  std::sort(chunks_.begin(), chunks_.end(), [](const Chunk& a, const Chunk& b) { return a.from < b.from; });
  return {};
}

/// Chunks of data are never read: whatever their profile is, it does not matter.
bool BtrfsNodes::addChunk(const Fields& f, std::size_t at, Bytes logical) {
  constexpr std::uint64_t data = 1, metadata = 4, system = 2;
  Chunk chunk{logical, f.le64(at), f.le64(at + 16), f.le64(at + 24), f.le16(at + 46), {}};
  if ((chunk.profile & (metadata | system)) == 0 && (chunk.profile & data) != 0) return true;
  if ((chunk.profile & parity) != 0) return false;
  const std::size_t stripes = f.le16(at + 44);
  if (at + 48 + stripes * 32 > f.size()) return false;
  for (std::size_t s = 0; s < stripes; ++s)
    chunk.stripes.push_back({f.le64(at + 48 + s * 32), f.le64(at + 48 + s * 32 + 8)});
  const bool striped = (chunk.profile & (stripe0 | stripe10)) != 0;
  if (chunk.stripes.empty() || (striped && chunk.stripeLength == 0)) return false;
  if ((chunk.profile & stripe10) != 0 && (chunk.inner == 0 || stripes % chunk.inner != 0)) return false;
  chunks_.push_back(std::move(chunk));
  return true;
}

/// Every copy of what lies at a place.
std::vector<BtrfsNodes::Place> BtrfsNodes::placesOf(Bytes at) const {
  const auto after = std::upper_bound(chunks_.begin(), chunks_.end(), at,
                                      [](Bytes a, const Chunk& c) { return a < c.from; });
  // While only those of the superblock are known they are in no order.
  const auto holds = [&](const Chunk& c) { return at >= c.from && at - c.from < c.length; };
  auto chunk = after == chunks_.begin() ? chunks_.end() : std::prev(after);
  if (chunk == chunks_.end() || !holds(*chunk)) chunk = std::find_if(chunks_.begin(), chunks_.end(), holds);
  if (chunk == chunks_.end()) return {};
  const Bytes within = at - chunk->from;
  std::vector<Place> all;
  if ((chunk->profile & (stripe0 | stripe10)) == 0) {
    for (const Stripe& s : chunk->stripes) all.push_back({s.device, s.at + within, chunk->length - within});
    return all;
  }
  const Bytes inner = (chunk->profile & stripe10) != 0 ? chunk->inner : 1;
  const Bytes outer = chunk->stripes.size() / inner;
  const Bytes number = within / chunk->stripeLength;
  const Bytes rest = within % chunk->stripeLength;
  for (Bytes copy = 0; copy < inner; ++copy) {
    const Stripe& s = chunk->stripes[number % outer * inner + copy];
    all.push_back({s.device, s.at + number / outer * chunk->stripeLength + rest, chunk->stripeLength - rest});
  }
  return all;
}

/// The node at a place; reads on as far as is wanted and lies together.
Result<std::string_view> BtrfsNodes::fetch(Bytes at, Bytes ahead) {
  if (at < pieceAt_ || at + nodeSize_ > pieceEnd_) {
    pieceAt_ = pieceEnd_ = 0;
    for (const Place& place : placesOf(at)) {
      BtrfsDevice* const device = devices_(place.device);
      const Bytes size = std::max<Bytes>(std::min({ahead, place.whole, mostAtOnce}), nodeSize_);
      if (device == nullptr || !device->read(place.at, {memory_.get(), size})) continue;
      pieceAt_ = at;
      pieceEnd_ = at + size;
      break;
    }
    if (pieceEnd_ == 0) return fail(Errc::io, "trees");
  }
  return std::string_view(memory_.get() + (at - pieceAt_), nodeSize_);
}

Result<BtrfsNodes::Node> BtrfsNodes::nodeIn(std::string_view bytes, const BtrfsPointer& wanted) const {
  Node node{Fields(bytes), wanted, 0};
  const Fields& f = node.fields;
  node.items = f.le32(96);
  const bool same = f.le64(48) == wanted.at && f.le64(80) == wanted.generation && f.u8(100) == wanted.level &&
                    f.part(32, 16) == fsid_;
  if (!same || !isWhole(bytes, checksum_)) return fail(Errc::changed, "trees");
  const std::size_t each = wanted.level == 0 ? itemSize : pointerSize;
  if (node.items > (nodeSize_ - headSize) / each) return broken("items of a node");
  return node;
}

Result<void> BtrfsNodes::read(std::span<const BtrfsPointer> wanted, const Each& each,
                              const std::stop_token& stop) {
  std::vector<std::size_t> order(wanted.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::sort(order.begin(), order.end(),
            [&](std::size_t a, std::size_t b) { return wanted[a].at < wanted[b].at; });
  for (std::size_t i = 0; i < order.size(); ++i) {
    if (i % 64 == 0 && stop.stop_requested()) return fail(Errc::cancelled, "trees");
    const Bytes at = wanted[order[i]].at;
    Bytes end = at + nodeSize_;
    for (std::size_t k = i + 1; k < order.size() && wanted[order[k]].at <= end + gapReadThrough &&
                                wanted[order[k]].at + nodeSize_ - at <= mostAtOnce;
         ++k)
      end = std::max(end, wanted[order[k]].at + nodeSize_);
    const auto bytes = fetch(at, end - at);
    if (!bytes) return tl::unexpected(bytes.error());
    const auto node = nodeIn(*bytes, wanted[order[i]]);
    if (!node) return tl::unexpected(node.error());
    if (auto done = each(order[i], *node); !done) return done;
  }
  return {};
}

Result<void> BtrfsNodes::eachItem(BtrfsPointer root, const EachItem& each, const std::stop_token& stop) {
  constexpr std::uint8_t mostLevels = 8;
  if (root.level >= mostLevels) return broken("height of a tree");
  std::vector<BtrfsPointer> level{root};
  while (!level.empty()) {
    std::vector<BtrfsPointer> below;
    auto done = read(
        level,
        [&](std::size_t, const Node& node) -> Result<void> {
          for (std::uint32_t i = 0; i < node.items; ++i) {
            if (node.is.level == 0)
              each(node.key(i), node.data(i));
            else
              below.push_back(node.child(i));
          }
          return {};
        },
        stop);
    if (!done) return done;
    // A node that is pointed to more than once is still one.
    const auto at = [](const BtrfsPointer& a, const BtrfsPointer& b) { return a.at < b.at; };
    std::sort(below.begin(), below.end(), at);
    below.erase(std::unique(below.begin(), below.end(),
                            [](const BtrfsPointer& a, const BtrfsPointer& b) { return a.at == b.at; }),
                below.end());
    level = std::move(below);
  }
  return {};
}

}  // namespace zt
