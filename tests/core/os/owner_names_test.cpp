// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/owner_names.h"

#include <gtest/gtest.h>
#include <unistd.h>

namespace zt::test {
namespace {

TEST(OwnerNames, ReadsAUserList) {
  const auto names = OwnerNames::fromList(
      "root:x:0:0:root:/root:/bin/sh\nwarden:x:1001:1001::/home/warden:/bin/sh\n\nroot-too:x:0:0::/:\n"
      "no number:x:5:5::/:\nbroken\nnegative:x:-3:1::/:\nfar:x:4294967296:1::/:\n:x:8:8::/:\nlast:x:7");
  EXPECT_EQ(names.name(0), "root") << "the first of two";
  EXPECT_EQ(names.name(1001), "warden");
  EXPECT_EQ(names.name(7), "last") << "a list that was cut off";
  EXPECT_EQ(names.all().size(), 3u) << "what is no line of a list is left out";
  EXPECT_EQ(names.number("warden"), 1001u);
  EXPECT_EQ(names.number("4711"), 4711u);
  for (const char* bad : {"nobody-here", "", "-1", "4294967296", "12x"})
    EXPECT_FALSE(names.number(bad)) << bad;
}

TEST(OwnerNames, TakesAnyBytesForAList) {
  std::string all;
  for (int c = 0; c < 256; ++c) all += static_cast<char>(c);
  EXPECT_TRUE(OwnerNames::fromList(all).all().empty());
  EXPECT_TRUE(OwnerNames::fromList(std::string(100'000, ':')).all().empty());
  EXPECT_TRUE(OwnerNames::fromList(std::string(65, 'n') + ":x:1").all().empty()) << "no name is so long";
}

TEST(OwnerNames, AsksThisMachine) {
  const std::uint32_t known[]{0, 4'200'000'000};
  const auto names = OwnerNames::ofThisMachine(known);
  EXPECT_EQ(names.name(0), "root");
  EXPECT_FALSE(names.name(4'200'000'000));
}

}  // namespace
}  // namespace zt::test
