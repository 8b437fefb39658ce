// SPDX-License-Identifier: GPL-3.0-or-later
// Disk images of every format, partition tables and file systems inside them, as records of places and bytes
// (tests/support/sparse_bytes.h). The first byte says whether a volume alone is meant.
#include "core/images/image_facts.h"
#include "core/images/partitions.h"
#include "fuzz/fuzz.h"
#include "support/sparse_bytes.h"

namespace {

using namespace zt;

/// What is said must hold together.
void checkFacts(const ImageFacts& facts, Bytes length) {
  if (facts.least > facts.most || facts.most > length || facts.outside != length) __builtin_trap();
  for (const GuestVolume& v : facts.volumes) {
    Bytes before = 0;
    for (const Stretch& s : v.free) {
      if (s.from < before || s.to > facts.guestLength || s.empty()) __builtin_trap();
      before = s.to;
    }
  }
}

}  // namespace

void fuzzImages(std::string_view input) {
  if (input.empty()) return;
  test::SparseBytes disk = test::SparseBytes::parse(input.substr(1));
  const std::stop_token stop;
  if (input[0] == 'v') {
    (void)lookAtVolume(disk, stop);
    return;
  }
  if (const auto parts = readPartitions(disk))
    for (std::size_t i = 1; i < parts->parts.size(); ++i)
      if (parts->parts[i].from < parts->parts[i - 1].to || parts->parts[i].to > disk.length())
        __builtin_trap();
  (void)mayBeImage(disk);
  ImageOptions options;
  options.outside = disk.length();
  options.readZeros = disk.length() < (Bytes{4} << 20);
  if (const auto facts = lookInto(disk, options)) checkFacts(*facts, disk.length());
}

ZT_FUZZ(fuzzImages)
