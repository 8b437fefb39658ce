// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/kernels.h"

#include <gtest/gtest.h>

#include "support/fakes.h"
#include "support/memory_file_system.h"
#include "support/planned.h"

namespace zt::test {
namespace {

/// Which kernels may go of a system that is not running, by its package database.
std::vector<std::string> superseded(const char* database, const std::vector<std::string>& versions,
                                    std::string* removal = nullptr) {
  MemoryFileSystem files;
  files.add(database, "x");
  for (const std::string& version : versions) files.add("boot/vmlinuz-" + version, std::string(5000, 'k'));
  const Measured m(borrowed(files), "/", true);
  std::vector<std::string> all;
  for (const KernelVersion& k : kernelsOf(*m.context, {}))
    if (!k.stays) {
      all.push_back(k.version);
      if (removal != nullptr) *removal = k.removal;
    }
  return all;
}
using Versions = std::vector<std::string>;

TEST(Kernels, GoByEachFamilysRules) {
  std::string removal;
  EXPECT_EQ(
      superseded("var/lib/dpkg/status", {"6.1.0-9-amd64", "6.1.0-17-amd64", "6.1.0-25-amd64"}, &removal),
      Versions{"6.1.0-9-amd64"});
  EXPECT_EQ(removal, "apt-get purge linux-image-6.1.0-9-amd64");
  EXPECT_EQ(
      superseded("usr/lib/sysimage/rpm/x",
                 {"6.5.5-200.fc38.x86_64", "6.5.6-300.fc39.x86_64", "6.6.2-201.fc39.x86_64",
                  "0-rescue-0123456789abcdef0123456789abcdef", "0-rescue-1123456789abcdef0123456789abcdef",
                  "0-rescue-2123456789abcdef0123456789abcdef"},
                 &removal),
      Versions{"6.5.5-200.fc38.x86_64"})
      << "those for rescue stay, however many";
  EXPECT_EQ(removal, "dnf remove kernel-core-6.5.5-200.fc38.x86_64");
}

TEST(Kernels, OfEachFlavourTheNewestStay) {
  EXPECT_EQ(superseded("var/lib/dpkg/status", {"6.1.0-25-amd64", "6.1.0-24-amd64", "6.1.0-20-cloud-amd64",
                                               "6.1.0-19-cloud-amd64", "6.1.0-18-cloud-amd64"}),
            Versions{"6.1.0-18-cloud-amd64"});
}

TEST(Kernels, WhereItIsNotCertainAllStay) {
  EXPECT_EQ(superseded("var/lib/pacman/local/linux-6.6/desc", {"linux", "linux-lts", "linux-zen"}),
            Versions{});
  EXPECT_EQ(superseded("opt/nothing", {"6.1.0-9-amd64", "6.1.0-17-amd64", "6.1.0-25-amd64"}), Versions{});
}

}  // namespace
}  // namespace zt::test
