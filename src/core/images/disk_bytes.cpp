// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/disk_bytes.h"

#include <algorithm>
#include <cstring>

namespace zt {

namespace {
constexpr Bytes mostAtOnce = Bytes{64} << 20;
}

Result<void> FileSource::read(Bytes at, std::span<char> into) {
  if (at > length_ || into.size() > length_ - at) return fail(Errc::corrupt, "image");
  while (!into.empty()) {
    const auto got = file_.read(at, into);
    if (!got) return tl::unexpected(got.error());
    if (*got == 0) return fail(Errc::changed, "image");
    at += *got;
    into = into.subspan(*got);
  }
  return {};
}

Result<Stretch> FileSource::nextData(Bytes at) {
  if (at >= length_) return Stretch{};
  const auto data = file_.nextData(at);
  if (!data) return tl::unexpected(data.error());
  return Stretch{std::min(data->from, length_), std::min(data->to, length_)};
}

PartSource::PartSource(DiskBytes& whole, Stretch part) : whole_(whole), part_(part) {
  part_.to = std::min(part_.to, whole.length());
  part_.from = std::min(part_.from, part_.to);
}

Result<void> PartSource::read(Bytes at, std::span<char> into) {
  if (at > length() || into.size() > length() - at) return fail(Errc::corrupt, "image");
  return whole_.read(part_.from + at, into);
}

Result<Stretch> PartSource::nextData(Bytes at) {
  if (at >= length()) return Stretch{};
  const auto data = whole_.nextData(part_.from + at);
  if (!data) return tl::unexpected(data.error());
  if (data->empty() || data->from >= part_.to) return Stretch{};
  return Stretch{data->from - part_.from, std::min(data->to, part_.to) - part_.from};
}

Result<std::string> bytesAt(DiskBytes& source, Bytes at, Bytes size) {
  if (size > mostAtOnce || at > source.length() || size > source.length() - at)
    return fail(Errc::corrupt, "image");
  std::string bytes(static_cast<std::size_t>(size), '\0');
  const auto hole = isHole(source, {at, at + size});
  if (!hole) return tl::unexpected(hole.error());
  if (*hole) return bytes;
  if (auto read = source.read(at, bytes); !read) return tl::unexpected(read.error());
  return bytes;
}

Result<bool> isHole(DiskBytes& source, Stretch stretch) {
  const auto data = source.nextData(stretch.from);
  if (!data) return tl::unexpected(data.error());
  return data->empty() || data->from >= stretch.to;
}

bool allZeros(std::span<const char> bytes) {
  return bytes.empty() ||
         (bytes[0] == 0 && std::memcmp(bytes.data(), bytes.data() + 1, bytes.size() - 1) == 0);
}

tl::unexpected<Error> damaged(std::string_view what) {
  return fail(Errc::corrupt, "image", {}, std::string(what));
}

void append(std::vector<Stretch>& all, Stretch next) {
  if (next.empty()) return;
  if (!all.empty() && all.back().to == next.from)
    all.back().to = next.to;
  else
    all.push_back(next);
}

Bytes common(const std::vector<Stretch>& a, const std::vector<Stretch>& b, Bytes unit) {
  Bytes sum = 0;
  for (std::size_t i = 0, k = 0; i < a.size() && k < b.size();) {
    const Bytes from = std::max(a[i].from, b[k].from);
    const Bytes to = std::min(a[i].to, b[k].to);
    const Bytes first = (from + unit - 1) / unit * unit;
    const Bytes last = to / unit * unit;
    if (last > first) sum += last - first;
    a[i].to < b[k].to ? ++i : ++k;
  }
  return sum;
}

}  // namespace zt
