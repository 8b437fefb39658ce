// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <fstream>

#include "demo/guest_disks.h"
#include "support/temp_folder.h"

namespace zt::test {

/// Below `top`: a folder "days" twice, of three files of 2 MB; two reports of one name that differ at byte
/// 700,000; and "guest", the disk of another machine of 64 MB, of which it uses 10 MiB and has deleted 4 MiB.
inline void furnishAlike(const TempFolder& t, const std::string& top) {
  for (const char* folder : {"/days", "/elsewhere/days"})
    for (int i = 0; i < 3; ++i)
      t.file(top + folder + "/d" + std::to_string(i), std::string(2'000'000, static_cast<char>('a' + i)));
  std::string report(1'500'000, 'r');
  t.file(top + "/a/report.odt", report);
  report[700'000] = 'R';
  t.file(top + "/b/report.odt", report);
  constexpr Bytes length = Bytes{64} << 20;
  t.sparse(top + "/guest", length);
  std::fstream guest(t / (top + "/guest"), std::ios::in | std::ios::out | std::ios::binary);
  for (const auto& [at, bytes] : demo::rawDisk(length, Bytes{10} << 20))
    guest.seekp(static_cast<std::streamoff>(at)) << bytes;
  guest.seekp(30 << 20) << std::string(4 << 20, 'g');
}

}  // namespace zt::test
