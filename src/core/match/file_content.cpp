// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/match/file_content.h"

#include <algorithm>
#include <cstring>

namespace zt {

namespace {

constexpr std::size_t endSize = 4096;
constexpr std::size_t chunk = 4 * FileContent::blockSize;  // stays in the cache until it is hashed
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

/// What is stored of a chunk, into the buffer; what is not is zeros there. `data` is the first stretch of it,
/// and then the one that comes next.
Result<void> FileContent::fill(OpenedFile& file, OpenedFile::Stretch of, OpenedFile::Stretch& data,
                               std::atomic<Bytes>& read) {
  Bytes done = of.from;
  const auto zeroTo = [&](Bytes to) {
    std::fill(buffer_.begin() + static_cast<std::ptrdiff_t>(done - of.from),
              buffer_.begin() + static_cast<std::ptrdiff_t>(to - of.from), '\0');
  };
  while (!data.empty() && data.from < of.to) {
    const Bytes from = data.from, to = std::min(data.to, of.to);
    zeroTo(from);
    const auto part = std::span(buffer_).subspan(static_cast<std::size_t>(from - of.from),
                                                 static_cast<std::size_t>(to - from));
    const auto got = file.read(from, part);
    if (!got) return tl::unexpected(got.error());
    if (*got < part.size()) return shorter();
    read += part.size();
    done = to;
    data.from = to;
    if (!data.empty()) continue;
    const auto next = file.nextData(to);
    if (!next) return tl::unexpected(next.error());
    data = *next;
  }
  zeroTo(of.to);
  return {};
}

/// Blocks that are not all zeros, each with its number.
void FileContent::addBlocks(OpenedFile::Stretch of) {
  const auto size = static_cast<std::size_t>(of.to - of.from);
  for (std::size_t at = 0; at < size; at += blockSize) {
    const auto block = std::span<const char>(buffer_).subspan(at, std::min(blockSize, size - at));
    if (allZero(block)) continue;
    const std::uint64_t number = (of.from + at) / blockSize;
    hash_->add(std::span(reinterpret_cast<const char*>(&number), sizeof number));
    hash_->add(block);
  }
}

Result<Digest> FileContent::whole(OpenedFile& file, Bytes length, std::atomic<Bytes>& read,
                                  const std::stop_token& stop) {
  (void)hash_->finish();
  const auto first = file.nextData(0);
  if (!first) return tl::unexpected(first.error());
  for (OpenedFile::Stretch data = *first; !data.empty() && data.from < length;) {
    if (stop.stop_requested()) return fail(Errc::cancelled, "match");
    // Whole chunks, so that where a hole begins makes no difference.
    const Bytes from = data.from / chunk * chunk;
    const OpenedFile::Stretch of{from, std::min<Bytes>(length, from + chunk)};
    if (auto filled = fill(file, of, data, read); !filled) return tl::unexpected(filled.error());
    addBlocks(of);
    if (length >= letGoFrom) file.letGo(of);
  }
  hash_->add(std::span(reinterpret_cast<const char*>(&length), sizeof length));
  return hash_->finish();
}

namespace {
/// Where either of two files has something stored, at or after an offset; the offset itself where that is not
/// told.
Bytes storedFrom(OpenedFile& a, OpenedFile& b, Bytes at, Bytes end) {
  Bytes first = end;
  for (OpenedFile* file : {&a, &b}) {
    const auto data = file->nextData(at);
    if (!data) return at;
    if (!data->empty()) first = std::min(first, data->from);
  }
  return std::max(at, first / chunk * chunk);
}
}  // namespace

Result<std::optional<Bytes>> firstDifference(OpenedFile& a, OpenedFile& b, const std::stop_token& stop,
                                             Bytes* budget) {
  const auto one = a.stat(), other = b.stat();
  if (!one) return tl::unexpected(one.error());
  if (!other) return tl::unexpected(other.error());
  const Bytes both = std::min(one->length, other->length);
  std::vector<char> x(chunk), y(chunk);
  for (Bytes at = storedFrom(a, b, 0, both); at < both; at = storedFrom(a, b, at + chunk, both)) {
    if (stop.stop_requested()) return fail(Errc::cancelled, "match");
    const auto size = static_cast<std::size_t>(std::min<Bytes>(chunk, both - at));
    if (budget != nullptr && *budget < size) return fail(Errc::cancelled, "match");
    if (budget != nullptr) *budget -= size;
    for (const auto& [file, into] : {std::pair(&a, &x), std::pair(&b, &y)}) {
      const auto got = file->read(at, std::span(*into).first(size));
      if (!got) return tl::unexpected(got.error());
      if (*got < size) return shorter();
    }
    const auto end = x.begin() + static_cast<std::ptrdiff_t>(size);
    if (const auto [first, second] = std::mismatch(x.begin(), end, y.begin()); first != end)
      return at + static_cast<Bytes>(first - x.begin());
  }
  return one->length == other->length ? std::optional<Bytes>{} : std::optional(both);
}

}  // namespace zt
