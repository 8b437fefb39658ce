// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/disk_image.h"

#include <algorithm>
#include <cstring>

#include "core/images/unpack.h"

namespace zt {

Bytes DiskImage::allocated() const {
  Bytes sum = 0;
  for (const GuestRun& run : runs) sum += run.kind == GuestRun::Kind::zeros ? 0 : run.length;
  return sum;
}

std::vector<Stretch> DiskImage::stored() const {
  std::vector<Stretch> all;
  for (const GuestRun& run : runs)
    if (run.kind != GuestRun::Kind::zeros) append(all, {run.guest, run.end()});
  return all;
}

Result<DiskImage> readImage(DiskBytes& file, const std::stop_token& stop) {
  for (const auto reader : {readQcow, readVhdx, readVmdk, readVdi, readVhd, readRaw}) {
    auto image = reader(file, stop);
    if (image || image.error().code != Errc::notOurs) return image;
  }
  return fail(Errc::notOurs, "image");
}

bool RunList::add(GuestRun run) {
  constexpr std::size_t most = 4'000'000;
  if (run.length == 0) return true;
  run.length = std::min(run.length, image_.guestLength > run.guest ? image_.guestLength - run.guest : 0);
  if (run.length == 0) return true;
  if (!image_.runs.empty()) {
    GuestRun& last = image_.runs.back();
    if (run.guest < last.end()) return false;
    const bool goesOn = last.kind == run.kind && run.kind != GuestRun::Kind::packed &&
                        last.end() == run.guest && last.at + last.length == run.at;
    if (goesOn) {
      last.length += run.length;
      return true;
    }
  }
  if (image_.runs.size() >= most) return false;
  image_.runs.push_back(run);
  return true;
}

Result<void> RunList::addStored(DiskBytes& file, Bytes end, const std::stop_token& stop) {
  for (Bytes at = 0; at < end;) {
    if (stop.stop_requested()) return fail(Errc::cancelled, "image");
    const auto data = file.nextData(at);
    if (!data) return tl::unexpected(data.error());
    if (data->empty() || data->from >= end) break;
    const Bytes to = std::min(data->to, end);
    if (!add({data->from, to - data->from, data->from, 0, GuestRun::Kind::stored}))
      return damaged("too many runs");
    at = std::max(to, at + 1);
  }
  return {};
}

std::vector<GuestRun>::const_iterator GuestDisk::runAt(Bytes at) const {
  return std::partition_point(image_.runs.begin(), image_.runs.end(),
                              [&](const GuestRun& run) { return run.end() <= at; });
}

Result<void> GuestDisk::read(Bytes at, std::span<char> into) {
  if (at > length() || into.size() > length() - at) return fail(Errc::corrupt, "image");
  for (auto run = runAt(at); !into.empty(); ++run) {
    const Bytes begins = run == image_.runs.end() ? length() : run->guest;
    if (begins > at) {
      const auto gap = static_cast<std::size_t>(std::min<Bytes>(begins - at, into.size()));
      if (auto below = readBelow(at, into.first(gap)); !below) return below;
      at += gap;
      into = into.subspan(gap);
      if (into.empty()) break;
    }
    const auto size = static_cast<std::size_t>(std::min<Bytes>(run->end() - at, into.size()));
    const auto part = into.first(size);
    Result<void> done;
    if (run->kind == GuestRun::Kind::zeros)
      std::fill(part.begin(), part.end(), '\0');
    else if (run->kind == GuestRun::Kind::stored)
      done = readStored(run->at + (at - run->guest), part);
    else
      done = readPacked(*run, at, part);
    if (!done) return done;
    at += size;
    into = into.subspan(size);
  }
  return {};
}

/// A file may end within its last block.
Result<void> GuestDisk::readStored(Bytes place, std::span<char> into) {
  const Bytes there = place >= file_.length() ? 0 : file_.length() - place;
  const auto size = static_cast<std::size_t>(std::min<Bytes>(there, into.size()));
  std::fill(into.begin() + static_cast<std::ptrdiff_t>(size), into.end(), '\0');
  return size == 0 ? Result<void>{} : file_.read(place, into.first(size));
}

Result<void> GuestDisk::readBelow(Bytes at, std::span<char> into) {
  const Bytes there = below_ == nullptr || at >= below_->length() ? 0 : below_->length() - at;
  const auto size = static_cast<std::size_t>(std::min<Bytes>(there, into.size()));
  if (size > 0)
    if (auto read = below_->read(at, into.first(size)); !read) return read;
  std::fill(into.begin() + static_cast<std::ptrdiff_t>(size), into.end(), '\0');
  return {};
}

Result<void> GuestDisk::readPacked(const GuestRun& run, Bytes at, std::span<char> into) {
  if (unpackedOf_ != &run) {
    unpackedOf_ = nullptr;
    const auto packed = bytesAt(
        file_, run.at, std::min<Bytes>(run.packed, file_.length() - std::min(run.at, file_.length())));
    if (!packed) return tl::unexpected(packed.error());
    auto bytes = unpack(image_.packing, *packed, run.length);
    if (!bytes) return tl::unexpected(bytes.error());
    unpacked_ = std::move(*bytes);
    unpackedOf_ = &run;
  }
  std::memcpy(into.data(), unpacked_.data() + (at - run.guest), into.size());
  return {};
}

Result<Stretch> GuestDisk::nextData(Bytes at) {
  auto run = runAt(at);
  while (run != image_.runs.end() && run->kind == GuestRun::Kind::zeros) ++run;
  Stretch own;
  if (run != image_.runs.end()) own = {std::max(at, run->guest), run->end()};
  if (below_ == nullptr) return own;
  const auto under = below_->nextData(at);
  if (!under) return tl::unexpected(under.error());
  if (under->empty() || under->from >= length()) return own;
  const Stretch cut{under->from, std::min(under->to, length())};
  return own.empty() || cut.from < own.from ? cut : own;
}

}  // namespace zt
