// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/match/file_content.h"

#include <algorithm>
#include <cstring>

namespace zt {

namespace {

constexpr std::size_t endSize = 4096;
constexpr std::size_t chunk = 16 * FileContent::blockSize;
/// Larger files are not kept in memory for what was read of them.
constexpr Bytes letGoFrom = Bytes{64} << 20;

bool allZero(std::span<const char> bytes) {
  return bytes.empty() ||
         (bytes[0] == 0 && std::memcmp(bytes.data(), bytes.data() + 1, bytes.size() - 1) == 0);
}

tl::unexpected<Error> shorter() {
  return fail(Errc::changed, "read");
}

}  // namespace

FileContent::FileContent(HashMaker hash) : hash_(hash()), buffer_(chunk) {}

Result<Digest> FileContent::ends(OpenedFile& file, Bytes length) {
  const auto size = static_cast<std::size_t>(std::min<Bytes>(endSize, length));
  for (const Bytes at : {Bytes{0}, length - size}) {
    const auto got = file.read(at, std::span(buffer_).first(size));
    if (!got) return tl::unexpected(got.error());
    if (*got < size) return shorter();
    hash_->add(std::span(buffer_).first(size));
  }
  return hash_->finish();
}

/// Blocks that are not all zeros, each with its number.
Result<void> FileContent::addBlocks(OpenedFile& file, OpenedFile::Stretch stretch, Bytes length) {
  const auto size = static_cast<std::size_t>(std::min(stretch.to, length) - stretch.from);
  const auto got = file.read(stretch.from, std::span(buffer_).first(size));
  if (!got) return tl::unexpected(got.error());
  if (*got < size) return shorter();
  for (std::size_t at = 0; at < size; at += blockSize) {
    const auto block = std::span<const char>(buffer_).subspan(at, std::min(blockSize, size - at));
    if (allZero(block)) continue;
    const std::uint64_t number = (stretch.from + at) / blockSize;
    hash_->add(std::span(reinterpret_cast<const char*>(&number), sizeof number));
    hash_->add(block);
  }
  return {};
}

Result<Digest> FileContent::whole(OpenedFile& file, Bytes length, std::atomic<Bytes>& read,
                                  const std::stop_token& stop) {
  (void)hash_->finish();
  for (Bytes done = 0; done < length;) {
    const auto data = file.nextData(done);
    if (!data) return tl::unexpected(data.error());
    if (data->empty()) break;
    // Whole blocks, so that where a hole begins makes no difference; what was read already is left out.
    Bytes from = std::max(done, data->from / blockSize * blockSize);
    const Bytes to = std::min(length, (data->to + blockSize - 1) / blockSize * blockSize);
    while (from < to) {
      if (stop.stop_requested()) return fail(Errc::cancelled, "match");
      const OpenedFile::Stretch part{from, std::min<Bytes>(to, from + chunk)};
      if (auto added = addBlocks(file, part, length); !added) return tl::unexpected(added.error());
      read += part.to - part.from;
      if (length >= letGoFrom) file.letGo(part);
      from = part.to;
    }
    done = std::max(to, done + 1);
  }
  hash_->add(std::span(reinterpret_cast<const char*>(&length), sizeof length));
  return hash_->finish();
}

Result<std::optional<Bytes>> firstDifference(OpenedFile& a, OpenedFile& b, const std::stop_token& stop) {
  std::vector<char> one(chunk), other(chunk);
  for (Bytes at = 0;; at += chunk) {
    if (stop.stop_requested()) return fail(Errc::cancelled, "match");
    const auto x = a.read(at, one);
    const auto y = b.read(at, other);
    if (!x) return tl::unexpected(x.error());
    if (!y) return tl::unexpected(y.error());
    const std::size_t both = std::min(*x, *y);
    if (const auto [first, second] =
            std::mismatch(one.begin(), one.begin() + static_cast<std::ptrdiff_t>(both), other.begin());
        first != one.begin() + static_cast<std::ptrdiff_t>(both))
      return at + static_cast<Bytes>(first - one.begin());
    if (*x != *y) return at + both;
    if (*x < chunk) return std::optional<Bytes>{};
  }
}

}  // namespace zt
