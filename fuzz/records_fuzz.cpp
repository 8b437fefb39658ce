// SPDX-License-Identifier: GPL-3.0-or-later
// Records that other programs keep, and place files. The first byte says which: a place file, a package list,
// a trash record, user folders.
#include "core/catalogue/place_map.h"
#include "core/detect/package_records.h"
#include "core/detect/recycle_record.h"
#include "core/detect/trash_info.h"
#include "core/detect/user_dirs.h"
#include "fuzz/fuzz.h"

namespace {

/// Whatever somebody writes into a file of one's own, bedrock stays bedrock.
void placeFile(std::string_view text) {
  const auto known = zt::KnownPlaces::withOwn(text, "places.toml");
  if (!known) return;
  const zt::PlaceMap map({{"", "", zt::SystemFamily::linuxFamily, true, false}}, {}, {}, *known);
  for (const char* path : {"usr/bin/sh", "etc/fstab", "boot/vmlinuz", "var/lib/dpkg/status"})
    if (!map.locked(path)) __builtin_trap();
}

void packageList(std::string_view text) {
  auto all = zt::parseDpkgStatus(text);
  zt::markAutomatic(text, all);
  if (!all.empty()) (void)zt::PackageGraph(all).goesWith(all.front().name);
}

}  // namespace

void fuzzRecords(std::string_view input) {
  if (input.empty()) return;
  const std::string_view rest = input.substr(1);
  switch (input[0]) {
    case 'p':
      return placeFile(rest);
    case 'd':
      return packageList(rest);
    case 'i':
      return static_cast<void>(zt::parseRecycleRecord(rest));
    case 'u':
      return static_cast<void>(zt::downloadFolder(rest));
    default:
      return static_cast<void>(zt::parseTrashInfo(rest));
  }
}

ZT_FUZZ(fuzzRecords)
