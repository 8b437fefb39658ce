// SPDX-License-Identifier: GPL-3.0-or-later
// What a drive's own records say of its places: homes of its user list, and a user's own file of places.
#include <gtest/gtest.h>

#include "core/job/job.h"
#include "core/job/own_places.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

struct OwnRecords : ::testing::Test {
  void SetUp() override {
    t.file("drive/etc/os-release", "NAME=\"Harbour\"\n");
    t.file("drive/usr/bin/sh", "x");
    t.file("drive/var/lib/dpkg/status", "\n");
    t.file("drive/people/kim/.cache/fontconfig/0123456789abcdef0123456789abcdef-le64.cache-7", 400'000);
    t.file("drive/people/kim/.ssh/id", "key");
    t.file("drive/srv/samples/a", 400'000);
  }
  Standing standing(const char* path) {
    const ContextPtr c = job->surveys().context();
    return c->standing[c->tree.find(path).value()];
  }
  void measure() {
    auto made = Job::create(workshop, t / "drive", false, {});
    ASSERT_TRUE(made) << made.error().detail;
    job = std::move(*made);
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  }
  TempFolder t;
  Workshop workshop = realWorkshop();
  std::unique_ptr<Job> job;
};

TEST_F(OwnRecords, FindsHomesWhereTheDrivesUserListPutsThem) {
  t.file("drive/etc/passwd",
         "root:x:0:0::/root:/bin/sh\nkim:x:1000:1000:Kim:/people/kim:/bin/sh\n"
         "odd:x:1001:1001::/../../etc:/bin/sh\nsys:x:1002:1002::/usr:/bin/sh\nloop:x:1003:1003::/people/"
         "none:/bin/sh\n"
         "broken\n:::::::\nlow:x:33:33::/srv/samples:/bin/sh\nbig:x:99999999:1::/srv/samples:/bin/sh\n");
  measure();
  EXPECT_EQ(standing("people/kim/.cache/fontconfig/0123456789abcdef0123456789abcdef-le64.cache-7"),
            Standing::rebuilds);
  EXPECT_EQ(standing("people/kim/.ssh/id"), Standing::kept);
  EXPECT_EQ(standing("usr/bin/sh"), Standing::bedrock) << "a home in the system's own tree is none";
  EXPECT_TRUE(job->surveys().context()->locked("people")) << "what holds homes does not go as a whole";
  EXPECT_FALSE(job->surveys().context()->locked("srv/samples"));
}

/// What is unpacked keeps its old times; where it lies it is of today.
TEST_F(OwnRecords, TakesNothingForOldThatWasMadeToday) {
  for (const char* path : {"drive/tmp/unpacked/letter.odt", "drive/var/tmp/build/half-done"}) {
    t.file(path, 400'000);
    t.age(path, 900);
    t.age(std::string(parentPath(path)), 900);
  }
  measure();
  for (const Find& f : *job->surveys().finds())
    for (const Subject& s : f.items)
      EXPECT_TRUE(f.kind != "leftovers" || hasFact(f, "younger-than") ||
                  (s.path.find("unpacked") == PathBytes::npos && s.path.find("build") == PathBytes::npos))
          << s.path;
  ASSERT_TRUE(job->planBook().addTarget("all", "100%"));
  const auto proposal = job->planBook().propose({});
  ASSERT_TRUE(proposal);
  for (const PlanLine& line : proposal->plan.lines)
    for (const Subject& s : line.items)
      EXPECT_FALSE(s.path.starts_with("tmp") || s.path.starts_with("var/tmp")) << s.path;
}

TEST_F(OwnRecords, KnowsNoHomesWithoutTheList) {
  measure();
  EXPECT_EQ(standing("people/kim/.cache/fontconfig/0123456789abcdef0123456789abcdef-le64.cache-7"),
            Standing::unjudged);
}

TEST_F(OwnRecords, TakesAUsersOwnPlaces) {
  t.file("places.toml",
         "[[place]]\nfamily='linux'\nid='shop-samples'\npaths=['srv/samples/*']\nstanding='spent'\n"
         "regret='none'\nkind='leftovers'\ngo='here'\nwhat='Samples of the shop'\n");
  const auto known = placesWithOwn(t / "places.toml");
  ASSERT_TRUE(known) << known.error().detail;
  workshop.places = *known;
  measure();
  EXPECT_EQ(standing("srv/samples/a"), Standing::spent);
  bool found = false;
  for (const Find& f : *job->surveys().finds())
    found = found || (f.kind == "leftovers" && f.placeId == "shop-samples");
  EXPECT_TRUE(found);
}

TEST_F(OwnRecords, OpensNothingWhileTheFileIsWrong) {
  t.file("places.toml", "[[place]]\nfamily='linux'\nid='a'\npaths=['etc']\nstanding='spent'\nwhat='x'\n");
  const auto known = placesWithOwn(t / "places.toml");
  ASSERT_FALSE(known);
  workshop.placesProblem = known.error();
  const auto made = Job::create(workshop, t / "drive", false, {});
  ASSERT_FALSE(made);
  EXPECT_EQ(codeOf(made), Errc::badInput);
  EXPECT_TRUE(placesWithOwn(t / "none.toml")) << "none is needed";
}

}  // namespace
}  // namespace zt::test
