// SPDX-License-Identifier: GPL-3.0-or-later
// What comparing found, kept with the job: it comes back as it was, and only for what is still the same.
#include "core/job/match_book.h"

#include <gtest/gtest.h>

#include "core/job/job.h"
#include "support/alike_files.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

struct KeptContents : ::testing::Test {
  void SetUp() override {
    furnishAlike(t, "drive");
    auto made = Job::create(workshop, t / "drive", false, {t / "a.ztjob", true});
    ASSERT_TRUE(made) << made.error().detail;
    job = std::move(*made);
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    MatchBook::Options options;
    options.least = 1;
    ASSERT_TRUE(job->contents().match(options, nullptr));
  }
  void reopen() {
    job.reset();
    auto opened = Job::open(workshop, t / "a.ztjob");
    ASSERT_TRUE(opened) << opened.error().detail;
    job = std::move(*opened);
  }
  std::multiset<std::string> kinds() const {
    std::multiset<std::string> all;
    for (const Find& f : *job->surveys().finds())
      if (f.kind == "duplicates" || f.kind == "namesakes" || f.kind == "images")
        all.insert(f.kind + " " + textIn(f, "format"));
    return all;
  }
  TempFolder t;
  Workshop workshop = realWorkshop();
  std::unique_ptr<Job> job;
};

TEST_F(KeptContents, ComesBackAsItWas) {
  const auto before = kinds();
  EXPECT_EQ(before, (std::multiset<std::string>{"duplicates ", "namesakes ", "images raw"}));
  const auto images = *imagesIn(job->surveys().detected().contents);
  const auto differences = *differencesIn(job->surveys().detected().contents);
  ASSERT_EQ(differences.size(), 1u);
  EXPECT_EQ(differences.begin()->second, 700'000u);
  reopen();
  EXPECT_EQ(kinds(), before);
  EXPECT_EQ(*differencesIn(job->surveys().detected().contents), differences);
  const ImageFacts& facts = imagesIn(job->surveys().detected().contents)->front().facts;
  EXPECT_EQ(facts.inside, images.front().facts.inside);
  EXPECT_EQ(facts.most, images.front().facts.most);
  EXPECT_TRUE(facts.zerosRead);
}

/// A file that was changed since, and measured again, is nobody's equal any more, though the document is
/// older.
TEST_F(KeptContents, IsNotBelievedOfWhatHasChanged) {
  t.file("drive/days/d0", std::string(2'000'000, 'Z'));
  t.file("drive/b/report.odt", std::string(1'500'000, 'Q'));
  t.age("drive/guest", 3);
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  reopen();
  EXPECT_EQ(imagesIn(job->surveys().detected().contents)->size(), 0u);
  EXPECT_TRUE(differencesIn(job->surveys().detected().contents)->empty());
  for (const Find& f : *job->surveys().finds()) {
    EXPECT_FALSE(hasFact(f, "whole-folder")) << "the folders differ now";
    for (const Subject& s : f.items) EXPECT_TRUE(f.kind != "duplicates" || !s.path.ends_with("d0")) << s.path;
  }
}

/// What was stopped before stored bytes were read is known by its tables, and read when it is asked again.
TEST_F(KeptContents, ReadsTheRestWhenAskedAgain) {
  std::stop_source stop;
  stop.request_stop();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  MatchBook::Options options;
  options.least = 1;
  options.stop = stop.get_token();
  const auto stopped = job->contents().match(options, nullptr);
  ASSERT_TRUE(stopped);
  EXPECT_TRUE(stopped->stopped);
  EXPECT_EQ(imagesIn(job->surveys().detected().contents)->size(), 1u) << "and loses nothing";
  options.stop = {};
  const auto again = job->contents().match(options, nullptr);
  ASSERT_TRUE(again);
  EXPECT_EQ(again->readOfImages, 0u) << "what was read once is remembered";
}

}  // namespace
}  // namespace zt::test
