// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/result.h"

#include <gtest/gtest.h>

#include <cerrno>
#include <set>
#include <string>

namespace zt {
namespace {

TEST(Errc, HasANameOfItsOwnForEveryCode) {
  std::set<std::string_view> names;
  for (int code = 0; code <= static_cast<int>(Errc::io); ++code) names.insert(name(static_cast<Errc>(code)));
  EXPECT_EQ(names.size(), static_cast<std::size_t>(Errc::io) + 1);
}

TEST(FailErrno, TurnsErrnoIntoWhatHappened) {
  const auto code = [](int err) {
    const Result<void> r = failErrno("open", "x", err);
    return r.error().code;
  };
  EXPECT_EQ(code(ENOENT), Errc::notThere);
  EXPECT_EQ(code(EACCES), Errc::notPermitted);
  EXPECT_EQ(code(EROFS), Errc::notPermitted);
  EXPECT_EQ(code(ENOTDIR), Errc::notAFolder);
  EXPECT_EQ(code(EEXIST), Errc::taken);
  EXPECT_EQ(code(ENOTEMPTY), Errc::taken);
  EXPECT_EQ(code(ENOSPC), Errc::noSpace);
  EXPECT_EQ(code(EDQUOT), Errc::noSpace);
  EXPECT_EQ(code(EXDEV), Errc::otherDevice);
  EXPECT_EQ(code(ELOOP), Errc::outsideRoot);
  EXPECT_EQ(code(EBUSY), Errc::inUse);
  EXPECT_EQ(code(EMFILE), Errc::tooManyOpen);
  EXPECT_EQ(code(EIO), Errc::io);
}

TEST(FailErrno, KeepsOperationPathAndErrno) {
  const Result<void> r = failErrno("unlink", "a\nb", ENOENT);
  EXPECT_EQ(r.error().operation, "unlink");
  EXPECT_EQ(r.error().path, "a\nb");
  EXPECT_EQ(r.error().sysErrno, ENOENT);
}

}  // namespace
}  // namespace zt
