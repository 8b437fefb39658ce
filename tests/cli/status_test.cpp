// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <set>

#include "cli/verbs.h"

namespace zt::cli {
namespace {

TEST(CliStatus, IsTheDocumentedOneOfEveryError) {
  const std::set<Errc> safety{Errc::bedrock,   Errc::kept,     Errc::asleep,  Errc::outsideRoot,
                              Errc::noConsent, Errc::onDrive,  Errc::changed, Errc::inUse,
                              Errc::conflict,  Errc::imported, Errc::away,    Errc::lastCopy,
                              Errc::unclean,   Errc::unmet,    Errc::pinned};
  for (int i = 0; i < errorCodes; ++i) {
    const auto code = static_cast<Errc>(i);
    const bool misused = code == Errc::badInput || code == Errc::tooMuch;
    const Exit expected = safety.contains(code) ? refused : misused ? usage : failed;
    EXPECT_EQ(exitFor({code, "x", {}, 0, {}}), expected) << name(code);
  }
}

}  // namespace
}  // namespace zt::cli
