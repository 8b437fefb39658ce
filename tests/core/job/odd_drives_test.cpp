// SPDX-License-Identifier: GPL-3.0-or-later
// Drives that are laid out otherwise than one expects: two systems on one, a user's folder that is a link,
// and what drives measured before say of this one.
#include <gtest/gtest.h>

#include <filesystem>

#include "core/finds/evidence.h"
#include "core/job/job.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

struct OddDrive : ::testing::Test {
  void measure(const std::string& folder = "drive") {
    auto made = Job::create(workshop, t / folder, false, {});
    ASSERT_TRUE(made) << made.error().detail;
    job = std::move(*made);
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  }
  void old(const std::string& path, std::size_t bytes = 400'000) {
    t.file("drive/" + path, bytes);
    t.age("drive/" + path, 900);
  }
  Standing standing(const char* path) {
    const ContextPtr c = job->surveys().context();
    return c->standing[c->tree.find(path).value()];
  }
  std::vector<PathBytes> proposed() {
    EXPECT_TRUE(job->planBook().addTarget("all", "100%"));
    std::vector<PathBytes> all;
    const auto proposal = job->planBook().propose({});
    EXPECT_TRUE(proposal);
    if (proposal)
      for (const PlanLine& line : proposal->plan.lines)
        for (const Subject& s : line.items) all.push_back(s.path);
    return all;
  }
  TempFolder t;
  Workshop workshop = realWorkshop();
  std::unique_ptr<Job> job;
};

void linuxAt(OddDrive& d, const std::string& top) {
  d.t.file("drive/" + top + "etc/os-release", "NAME=\"Harbour\"\n");
  d.t.file("drive/" + top + "etc/passwd", "kim:x:1000:1000::/home/kim:/bin/sh\n");
  d.t.file("drive/" + top + "var/lib/dpkg/status", "\n");
  d.old(top + "usr/bin/sh");
  d.old(top + "boot/vmlinuz-6.1");
  d.old(top + "home/kim/.cache/fontconfig/0123456789abcdef0123456789abcdef-le64.cache-7");
  d.old(top + "home/kim/letter.odt");
}

TEST_F(OddDrive, TwoSystemsAreBothKnown) {
  linuxAt(*this, "");
  for (const char* path :
       {"Windows/System32/ntoskrnl.exe", "Windows/System32/config/SYSTEM", "Windows/System32/config/SOFTWARE",
        "Users/Kim/NTUSER.DAT", "Users/Kim/Documents/plan.docx", "Users/Kim/AppData/Local/CrashDumps/a.dmp",
        "Program Files/Desk/desk.exe"})
    old(path);
  measure();
  for (const char* bedrock : {"usr/bin/sh", "boot/vmlinuz-6.1", "Windows/System32/ntoskrnl.exe"})
    EXPECT_EQ(standing(bedrock), Standing::bedrock) << bedrock;
  EXPECT_EQ(standing("home/kim/.cache/fontconfig/0123456789abcdef0123456789abcdef-le64.cache-7"),
            Standing::rebuilds);
  EXPECT_GE(standing("Users/Kim/AppData/Local/CrashDumps/a.dmp"), Standing::rebuilds);
  EXPECT_LE(standing("Users/Kim/Documents/plan.docx"), Standing::ownersCall);
  for (const PathBytes& path : proposed())
    EXPECT_TRUE(path.starts_with("home/kim/.cache") || path.starts_with("Users/Kim/AppData/Local/CrashDumps"))
        << path;
}

/// A whole old machine copied into a folder: nothing of it is anybody's cache, and its kernel is no junk.
TEST_F(OddDrive, ACopiedSystemIsNobodysJunk) {
  linuxAt(*this, "");
  linuxAt(*this, "srv/old-machine/");
  measure();
  for (const char* path : {"srv/old-machine/boot/vmlinuz-6.1", "srv/old-machine/home/kim/letter.odt"})
    EXPECT_LE(standing(path), Standing::ownersCall) << path;
  for (const PathBytes& path : proposed()) EXPECT_TRUE(path.starts_with("home/kim/.cache")) << path;
}

TEST_F(OddDrive, AUsersFolderThatIsALinkIsNotFollowed) {
  linuxAt(*this, "");
  std::filesystem::remove_all(t / "drive/home/kim");
  std::filesystem::create_directory_symlink("../data/kim", t / "drive/home/kim");
  old("data/kim/.cache/fontconfig/0123456789abcdef0123456789abcdef-le64.cache-7");
  old("data/kim/Downloads/setup.exe");
  measure();
  EXPECT_LE(standing("data/kim/.cache/fontconfig/0123456789abcdef0123456789abcdef-le64.cache-7"),
            Standing::unjudged)
      << "whose it is only the link says";
  for (const Find& f : *job->surveys().finds())
    for (const Subject& s : f.items) {
      EXPECT_NE(s.path, "home/kim");
      EXPECT_FALSE(s.path.starts_with("home/kim/")) << s.path;
    }
  EXPECT_TRUE(proposed().empty());
  EXPECT_TRUE(std::filesystem::is_symlink(t / "drive/home/kim"));
}

TEST_F(OddDrive, ADownloadsFolderThatLeadsElsewhereIsNotSearched) {
  linuxAt(*this, "");
  old("srv/papers/contract.pdf");
  std::filesystem::create_directory_symlink("/srv/papers", t / "drive/home/kim/Downloads");
  t.file("drive/home/kim/.config/user-dirs.dirs", "XDG_DOWNLOAD_DIR=\"$HOME/../../srv\"\n");
  measure();
  for (const Find& f : *job->surveys().finds()) EXPECT_FALSE(isOfKind(f, "arrivals")) << f.place;
}

/// What earlier visits saw on other drives is evidence: of the same name and length, as of then.
TEST_F(OddDrive, KnowsWhatLiesOnDrivesMeasuredBefore) {
  workshop.visits = Register::open(t / "register.sqlite").value();
  ASSERT_TRUE(
      workshop.visits->noteLargeFiles({"other-drive",
                                       "shelf",
                                       "backups",
                                       5,
                                       {{"backups/take-9.wav", 2'000'000, 7}, {"backups/b.wav", 3, 7}}}));
  old("srv/takes/take-9.wav", 2'000'000);
  old("srv/takes/only-here.wav", 2'000'000);
  measure();
  const ContextPtr context = job->surveys().context();
  const auto evidence = [&](const char* path) {
    const Find find = pickedFind(*context, context->tree.find(path).value());
    const Find* one = &find;
    return EvidenceDesk(*context, std::span(&one, 1), 0).of(find);
  };
  const Evidence known = evidence("srv/takes/take-9.wav");
  ASSERT_EQ(known.elsewhere.size(), 1u);
  EXPECT_EQ(known.elsewhere[0].file.drive, "shelf");
  EXPECT_EQ(known.elsewhere[0].file.path, "backups/take-9.wav");
  EXPECT_EQ(known.elsewhere[0].of, "srv/takes/take-9.wav");
  EXPECT_FALSE(known.elsewhere[0].file.equal);
  EXPECT_FALSE(known.onlyHere) << "a name says nothing of that";
  EXPECT_TRUE(evidence("srv/takes/only-here.wav").elsewhere.empty());
  const std::string here = job->site().drive().id;
  const auto noted = workshop.visits->elsewhere("other-drive", {"x/only-here.wav", 2'000'000, 0}).files;
  ASSERT_EQ(noted.size(), 1u) << "this visit is noted for the next drive";
  EXPECT_TRUE(noted[0].path.ends_with("srv/takes/only-here.wav"));
  EXPECT_TRUE(workshop.visits->elsewhere(here, {"only-here.wav", 2'000'000, 0}).files.empty());
}

/// Drives that were compared tell each other by content, whatever a file is called; and what none has.
TEST_F(OddDrive, KnowsByContentWhatOtherDrivesHave) {
  workshop.visits = Register::open(t / "register.sqlite").value();
  ASSERT_TRUE(workshop.visits->noteLargeFiles(
      {"other-drive", "shelf", "", 5, {{"x/renamed.bin", 2'000'000, 7}, {"x/changed.bin", 2'000'000, 9}}}));
  old("home/kim/take-9.wav", 2'000'000);
  old("home/kim/only-here.wav", 2'000'001);
  measure();
  // Nothing here is twice; it is read because a file over there is that long.
  const auto result = job->contents().match({}, nullptr);
  ASSERT_TRUE(result);
  ASSERT_EQ(result->digests.size(), 1u);
  const Digest digest = result->digests[0].second;
  ASSERT_TRUE(workshop.visits->noteContents(
      "other-drive", {{"x/renamed.bin", 2'000'000, 7, digest}, {"x/changed.bin", 2'000'000, 8, digest}}));
  const auto evidence = [&](const char* path) {
    const ContextPtr context = job->surveys().context();
    const Find find = pickedFind(*context, context->tree.find(path).value());
    const Find* one = &find;
    return EvidenceDesk(*context, std::span(&one, 1), 0).of(find);
  };
  const Evidence known = evidence("home/kim/take-9.wav");
  ASSERT_EQ(known.elsewhere.size(), 1u) << "of another one the file is not that any more";
  EXPECT_TRUE(known.elsewhere[0].file.equal);
  EXPECT_EQ(known.elsewhere[0].file.path, "x/renamed.bin");
  EXPECT_FALSE(known.onlyHere);
  EXPECT_FALSE(evidence("home/kim/only-here.wav").onlyHere) << "it was never compared";
  ASSERT_TRUE(workshop.visits->noteContents("other-drive", {{"x/renamed.bin", 2'000'000, 7, {1, 2}}}));
  EXPECT_TRUE(evidence("home/kim/take-9.wav").onlyHere);
  EXPECT_TRUE(evidence("home/kim/take-9.wav").elsewhere.empty());
}

TEST_F(OddDrive, ANewVisitTakesThePlaceOfWhatWasKnownOfTheSameFolder) {
  const auto r = Register::open(t / "r.sqlite").value();
  ASSERT_TRUE(r->noteLargeFiles({"d", "", "a", 5, {{"a/x\xFF", 10, 7}, {"a/y", 20, 7}}}));
  ASSERT_TRUE(r->noteLargeFiles({"d", "", "a0", 5, {{"a0/z", 30, 7}}}));
  ASSERT_TRUE(r->noteLargeFiles({"d", "", "a", 6, {{"a/y", 20, 8}}}));
  EXPECT_TRUE(r->elsewhere("", {"x\xFF", 10, 0}).files.empty());
  ASSERT_EQ(r->elsewhere("", {"y", 20, 0}).files.size(), 1u);
  EXPECT_EQ(r->elsewhere("", {"y", 20, 0}).files[0].drive, "d") << "its id where nobody named it";
  EXPECT_EQ(r->elsewhere("", {"z", 30, 0}).files.size(), 1u) << "a folder beside it is another one";
}

}  // namespace
}  // namespace zt::test
