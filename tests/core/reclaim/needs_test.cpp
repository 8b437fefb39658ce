// SPDX-License-Identifier: GPL-3.0-or-later
// What a place needs is asked when it is found, and again at the moment of the step.
#include <gtest/gtest.h>

#include "core/finds/conditions.h"
#include "core/reclaim/still_marked.h"
#include "support/code_of.h"
#include "support/planned.h"

namespace zt::test {
namespace {

struct Needs : ::testing::Test {
  Needs() {
    files.add(
        "home/kim/.cache/mozilla/firefox/k.default/cache2/entries/0123456789ABCDEF0123456789ABCDEF01234567",
        std::string(9'000, 'x'));
    files.add("home/kim/.cache/mozilla/firefox/k.default/cache2/index", std::string(5'000, 'x'));
    files.add("var/cache/apt/archives/tool_1_amd64.deb", std::string(9'000, 'x'));
  }
  Find caches(FindOptions options, std::string_view kind = {}) {
    const auto survey = surveyOf(borrowed(files), "/");
    options.now = survey->finished + 400 * nsPerDay;
    context = contextOf(survey, true, std::move(options));
    const auto detected = detectAll(builtInCraft()->detectors, {context, nullptr, nullptr}, {}, {});
    for (const Find& f : detected.finds)
      if (kind.empty() ? f.kind == "caches" || f.kind == "packages" : f.kind == kind) return f;
    return {};
  }
  NodeId node(const char* path) const { return *context->tree.find(path); }
  MemoryFileSystem files;
  ContextPtr context;
};

TEST_F(Needs, AProgramThatUsesItsCacheClosesTheOffer) {
  EXPECT_FALSE(caches({}).offers.empty());
  FindOptions held;
  const auto survey = surveyOf(borrowed(files), "/");
  const auto index = survey->tree.find("home/kim/.cache/mozilla/firefox/k.default/cache2/index");
  held.openInodes[{0, survey->tree.inode(*index)}] = "browser";
  const Find find = caches(held);
  EXPECT_TRUE(find.offers.empty());
  ASSERT_FALSE(find.closed.empty());
  EXPECT_EQ(find.closed[0].conditions, std::vector<std::string>{"not-idle"});
}

TEST_F(Needs, ARunningMakerCountsOnItsOwnSystemAlone) {
  EXPECT_TRUE(isOneOf("apt-get", "apt"));
  EXPECT_TRUE(isOneOf("UV", "pip, uv"));
  EXPECT_FALSE(isOneOf("aptly", "apt"));
  FindOptions options;
  options.programs = {"apt-get"};
  (void)caches(options);
  const Sighting& s =
      context->sightings.all[context->sightings.of[node("var/cache/apt/archives/tool_1_amd64.deb")]];
  ASSERT_NE(s.place, nullptr);
  EXPECT_TRUE(unmetNeeds(*context, *s.place, s.node).empty()) << "it is another machine's drive";
  options.live = true;
  (void)caches(options);
  const Sighting& live =
      context->sightings.all[context->sightings.of[node("var/cache/apt/archives/tool_1_amd64.deb")]];
  const auto unmet = unmetNeeds(*context, *live.place, live.node);
  ASSERT_EQ(unmet.size(), 1u);
  EXPECT_EQ(unmet[0].need, "idle");
  EXPECT_EQ(unmet[0].who, "apt-get");
  EXPECT_TRUE(unmet[0].waits) << "it can be closed: a person may plan it, and it is asked again";
  const Find find = caches(options, "packages");
  ASSERT_FALSE(find.offers.empty());
  EXPECT_EQ(find.offers[0].conditions, std::vector<std::string>{"not-idle"});
  EXPECT_EQ(textIn(find, "owner-runs"), "apt-get");
  EXPECT_FALSE(mayPropose(find, {})) << "and no proposal takes it";
  EXPECT_TRUE(mayPropose(caches({}, "packages"), {}));
}

TEST_F(Needs, AreAskedAgainAsTheThingGoes) {
  (void)caches({});
  const char* entry =
      "home/kim/.cache/mozilla/firefox/k.default/cache2/entries/0123456789ABCDEF0123456789ABCDEF01234567";
  FakeOpenFiles open;
  const auto drive = [&] {
    GuardedDrive d{
        borrowed(files), borrowed(open), context, {}, files.openRoot("/").value(), "0123456789abcdef", {}};
    return d;
  }();
  const auto root = files.openRoot("/").value();
  const std::uint64_t device = files.stat(*root, {})->device;
  EXPECT_TRUE(checkNeeds(drive, node(entry), device, Holders::read(open)));
  const NodeId index = node("home/kim/.cache/mozilla/firefox/k.default/cache2/index");
  open.files.push_back({7, "browser", device, context->tree.inode(index), false, 0});
  const auto asked = checkNeeds(drive, node(entry), device, Holders::read(open));
  ASSERT_FALSE(asked);
  EXPECT_EQ(codeOf(asked), Errc::inUse);
  EXPECT_NE(asked.error().detail.find("browser"), std::string::npos) << "who";
}

}  // namespace
}  // namespace zt::test
