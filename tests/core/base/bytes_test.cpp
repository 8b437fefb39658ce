// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/bytes.h"

#include <gtest/gtest.h>

namespace zt {
namespace {

TEST(FormatBytes, UsesOneBaseAndAtMostOneDecimal) {
  EXPECT_EQ(formatBytes(0), "0 B");
  EXPECT_EQ(formatBytes(999), "999 B");
  EXPECT_EQ(formatBytes(1000), "1.0 kB");
  EXPECT_EQ(formatBytes(9'600'000'000), "9.6 GB");
  EXPECT_EQ(formatBytes(256'060'514'304), "256 GB");
  EXPECT_EQ(formatBytes(1 << 30, UnitBase::iec), "1.0 GiB");
}

TEST(FormatBytes, TakesTheNextUnitWhereRoundingWouldReachIt) {
  EXPECT_EQ(formatBytes(999'960), "1.0 MB");
  EXPECT_EQ(formatBytes(99'960'000), "100 MB");
  EXPECT_EQ(formatBytes(~Bytes{0}), "18447 PB");
}

TEST(FormatSigned, PutsATrueMinus) {
  EXPECT_EQ(formatSigned(-300'000'000), "\u2212300 MB");
  EXPECT_EQ(formatSigned(300'000'000), "300 MB");
}

TEST(ParseAmount, ReadsWhatPeopleWrite) {
  EXPECT_EQ(parseAmount("20GB", 0).value(), 20'000'000'000u);
  EXPECT_EQ(parseAmount(" 18 GiB ", 0).value(), Bytes{18} << 30);
  EXPECT_EQ(parseAmount("1.5tb", 0).value(), 1'500'000'000'000u);
  EXPECT_EQ(parseAmount("4096", 0).value(), 4096u);
  EXPECT_EQ(parseAmount("15%", 256'060'514'304).value(), 38'409'077'146u);
}

TEST(ParseAmount, RefusesTheRest) {
  for (const char* text : {"", " ", "x", "-3GB", "+3GB", "120%", "0", "0GB", "GB", "3 GB x", "1e9",
                           "9999999PB", "nan", "inf", "3,5GB", "٣GB"})
    EXPECT_FALSE(parseAmount(text, 1'000'000'000)) << text;
}

}  // namespace
}  // namespace zt
