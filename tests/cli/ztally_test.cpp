// SPDX-License-Identifier: GPL-3.0-or-later
// The binary, run as a user would.
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <filesystem>

#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

template <class... A>
Ran ztally(const A&... a) {
  return runProgram({ZTALLY, std::string(a)...});
}

class Ztally : public ::testing::Test {
protected:
  void SetUp() override {
    t.file("drive/films/one.mp4", 2'000'000);
    t.file("drive/films/two.mp4", 1'500'000);
    t.file("drive/odd\nname\xFF", "x");
    t.age("drive/films/two.mp4", 900);
  }
  Ran measure() {
    return ztally("measure", t / "drive", "--job", job, "--job-on-drive", "--target", "50%", "--json");
  }
  /// Carries the plan out with the consent that was asked for.
  static Ran agree(const std::string& file) {
    const Ran asked = ztally("reclaim", "--job", file, "--json");
    EXPECT_EQ(asked.status, 4) << "without consent nothing is touched";
    return ztally("reclaim", "--job", file, "--consent", asked.json()["consent"]["token"].get<std::string>());
  }
  TempFolder t;
  std::string job = t / "a.ztjob";
};

TEST_F(Ztally, MeasuresWithAllDocumentedFields) {
  const Ran ran = measure();
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto j = ran.json();
  for (const char* key : {"entries", "files", "folders", "length_bytes", "occupied_bytes", "linked_inodes",
                          "unreadable", "vanished", "seconds", "statement"})
    EXPECT_TRUE(j.contains(key)) << key;
  EXPECT_EQ(j["entries"], 5);
  EXPECT_EQ(j["length_bytes"], 3'500'001);
  std::int64_t sum = 0;
  for (const auto& line : j["statement"]["lines"]) sum += line["bytes"].get<std::int64_t>();
  EXPECT_EQ(sum, j["statement"]["capacity_bytes"].get<std::int64_t>());
}

TEST_F(Ztally, GoesTheWholeWay) {
  ASSERT_EQ(measure().status, 0);
  const auto finds = ztally("finds", "--job", job, "--json").json();
  ASSERT_FALSE(finds["finds"].empty());
  EXPECT_EQ(ztally("plan", "--job", job, "add", "films/one.mp4").status, 0);
  EXPECT_EQ(ztally("plan", "--job", job, "add", "--action", "hold", "films/two.mp4").status, 0);
  const auto plan = ztally("plan", "--job", job, "show", "--json").json();
  EXPECT_EQ(plan["lines"].size(), 2u);
  EXPECT_GE(plan["planned"]["sure_bytes"].get<std::uint64_t>(), 2'000'000u);
  EXPECT_GT(plan["planned"]["at_most_bytes"], plan["planned"]["sure_bytes"]);

  const Ran asked = ztally("reclaim", "--job", job, "--json");
  EXPECT_EQ(asked.status, 4);
  const std::string token = asked.json()["consent"]["token"];
  EXPECT_TRUE(t.has("drive/films/one.mp4"));
  EXPECT_EQ(ztally("reclaim", "--job", job, "--consent", "0123").status, 4);
  EXPECT_EQ(ztally("reclaim", "--job", job, "--dry-run").status, 0);
  EXPECT_TRUE(t.has("drive/films/one.mp4"));
  const Ran done = ztally("reclaim", "--job", job, "--consent", token, "--json");
  EXPECT_EQ(done.status, 0) << done.err << done.out;
  EXPECT_FALSE(t.has("drive/films/one.mp4"));
  EXPECT_FALSE(t.has("drive/films/two.mp4"));

  const auto proof = ztally("prove", "--job", job, "--json").json();
  // The drive is everybody's: its counter moves by what others do, and each such byte must be named.
  for (const auto& line : proof["lines"]) {
    auto explained = line["promised_bytes"].get<std::int64_t>();
    for (const auto& reason : line["reasons"])
      if (reason["reason"] != "held") explained += reason["bytes"].get<std::int64_t>();
    EXPECT_EQ(line["actual_bytes"].get<std::int64_t>(), explained) << line.dump(1);
  }
  bool held = false;
  for (const auto& reason : proof["lines"][1]["reasons"]) held = held || reason["reason"] == "held";
  EXPECT_TRUE(held) << proof.dump(1);
  EXPECT_EQ(ztally("undo", "--job", job).status, 0);
  EXPECT_TRUE(t.has("drive/films/two.mp4"));
  EXPECT_NE(ztally("release", "--job", job).out.find("nothing to do"), std::string::npos);
}

TEST_F(Ztally, ReleasesOnlyWithConsent) {
  measure();
  ztally("plan", "--job", job, "add", "--action", "hold", "films");
  EXPECT_EQ(ztally("reclaim", "--job", job).status, 4) << "without consent nothing moves";
  EXPECT_TRUE(t.has("drive/films"));
  ASSERT_EQ(agree(job).status, 0);
  EXPECT_FALSE(t.has("drive/films"));
  const Ran asked = ztally("release", "--job", job, "--json");
  EXPECT_EQ(asked.status, 4);
  EXPECT_TRUE(t.has("drive/.zip-tally-hold"));
  const Ran gone =
      ztally("release", "--job", job, "--consent", asked.json()["consent"]["token"].get<std::string>());
  EXPECT_EQ(gone.status, 0) << gone.err;
  EXPECT_FALSE(t.has("drive/.zip-tally-hold"));
}

TEST_F(Ztally, EscapesNamesAndKeepsTheirBytes) {
  measure();
  const auto tree = ztally("tree", "--job", job, "--json").json();
  for (const auto& child : tree["children"]) {
    if (child["path"] == "films") continue;
    EXPECT_EQ(child["path"], "odd\\x0aname\\xff");
    EXPECT_EQ(child["path_b64"], "b2RkCm5hbWX/");
  }
  EXPECT_EQ(ztally("plan", "--job", job, "add", "odd\\x0aname\\xff").status, 0);
  EXPECT_EQ(ztally("plan", "--job", job, "drop", "odd\\x0aname\\xff").status, 0);
}

TEST_F(Ztally, SaysWhyAnExportCouldNotBeWritten) {
  measure();
  const Ran nowhere = ztally("export", "--job", job, "-o", "/nosuch/x.csv");
  EXPECT_EQ(nowhere.status, 1);
  EXPECT_NE(nowhere.err.find("not there"), std::string::npos) << nowhere.err;
  const Ran full = ztally("export", "--job", job, "-o", "/dev/full/x.csv");
  EXPECT_EQ(full.err.find("no space"), std::string::npos) << full.err;
}

TEST_F(Ztally, RefusesBadInputWithTheRightStatus) {
  EXPECT_EQ(ztally("measure", t / "none").status, 1);
  const Ran one = ztally("measure", t / "drive/films/one.mp4", "--json");
  EXPECT_EQ(one.status, 0) << one.err;
  struct stat st {};
  ASSERT_EQ(::stat((t / "drive/films/one.mp4").c_str(), &st), 0);
  EXPECT_EQ(one.json()["occupied_bytes"], st.st_blocks * 512) << "the file, and not its folder's own blocks";
  for (const char* target : {"-3GB", "120%", "x"})
    EXPECT_EQ(ztally("measure", t / "drive", std::string("--target=") + target).status, 2) << target;
  EXPECT_EQ(ztally("measure").status, 2);
  EXPECT_EQ(ztally("nonsense").status, 2);
  EXPECT_NE(ztally("nonsense").err.find("nonsense"), std::string::npos) << "what was not understood is named";
  const Ran above = ztally("measure", t / "drive", "--target", "900PB");
  EXPECT_EQ(above.status, 2);
  EXPECT_NE(above.err.find("more than the drive has"), std::string::npos) << above.err;
  EXPECT_EQ(ztally("measure", t / "drive", "--job", job).status, 4)
      << "the job file would lie on the measured drive";
  EXPECT_EQ(ztally("finds", "--job", t / "none.ztjob").status, 1);
  t.file("other.ztjob", "no job at all");
  EXPECT_EQ(ztally("finds", "--job", t / "other.ztjob").status, 1);
  measure();
  EXPECT_EQ(ztally("plan", "--job", job, "add", "../drive").status, 4);
  EXPECT_EQ(ztally("plan", "--job", job, "add", "films/none").status, 1);
  EXPECT_EQ(ztally("finds", "--job", job, "--kind", "everything").status, 2);
  EXPECT_EQ(ztally("propose", "--job", job, "--ceiling", "sky").status, 2);
}

TEST_F(Ztally, RefusesPlanFilesThatDoNotFit) {
  measure();
  ztally("plan", "--job", job, "add", "films/one.mp4");
  auto plan = ztally("plan", "--job", job, "show", "--json").json();
  const auto tryPlan = [&](const nlohmann::json& p) {
    t.file("plan.json", p.dump());
    return ztally("reclaim", "--job", job, "--plan", t / "plan.json", "--consent", "x").status;
  };
  auto climbing = plan;
  climbing["lines"][0]["items"][0]["path"] = "../drive/films/one.mp4";
  EXPECT_EQ(tryPlan(climbing), 4);
  auto absolute = plan;
  absolute["lines"][0]["items"][0]["path"] = t / "drive/films/one.mp4";
  EXPECT_EQ(tryPlan(absolute), 4);
  auto other = plan;
  other["lines"][0]["items"][0]["identity"]["inode"] = 1;
  EXPECT_EQ(tryPlan(other), 4);
  auto newer = plan;
  newer["version"] = 1000;
  EXPECT_EQ(tryPlan(newer), 1);
  EXPECT_EQ(tryPlan("[]"), 1);
  EXPECT_TRUE(t.has("drive/films/one.mp4"));
}

TEST(ZtallyHelp, SaysWhatEachVerbDoes) {
  const Ran help = ztally("--help");
  EXPECT_EQ(help.status, 0);
  for (const char* verb : {"drives", "measure", "tree", "finds", "propose", "plan", "reclaim", "prove",
                           "undo", "release", "demo", "list", "mark", "export", "import"}) {
    EXPECT_NE(help.out.find(verb), std::string::npos) << verb;
    EXPECT_EQ(ztally(verb, "--help").status, 0) << verb;
  }
}

TEST(ZtallyDrives, ListsTheRootDrive) {
  const auto j = ztally("drives", "--json").json();
  ASSERT_TRUE(j.contains("drives"));
  for (const auto& d : j["drives"]) EXPECT_GT(d["capacity_bytes"].get<std::uint64_t>(), 0u);
}

/// The stand-in drive: the expected list is held against what this version's detectors find.
TEST(ZtallyDemo, HasTheFindsItPromises) {
  TempFolder t;
  ASSERT_EQ(ztally("demo", t / "si").status, 0);
  EXPECT_EQ(ztally("demo", t / "si").status, 1) << "never over something that is there";
  const std::string job = t / "a.ztjob";
  const auto measured = ztally("measure", t / "si", "--stand-in", "--job", job, "--json").json();
  EXPECT_NEAR(measured["statement"]["lines"][0]["bytes"].get<double>(), 9.6e9, 5e6);
  EXPECT_LT(std::abs(measured["statement"]["unexplained_bytes"].get<double>()), 1e6);
  const auto finds = ztally("finds", "--job", job, "--json").json()["finds"];
  const auto expected = nlohmann::json::parse(t.read("si/expected-finds.json"));
  const auto isOf = [](const auto& f, const std::string& kind) {
    if (f["kind"] == kind) return true;  // or it stands once, with what knows more of it
    return std::any_of(f["facts"].begin(), f["facts"].end(),
                       [&](const auto& fact) { return fact["id"] == "also" && fact["value"] == kind; });
  };
  int checked = 0;
  for (const auto& e : expected) {
    const std::string kind = e["kind"];
    if (kind != "large" && kind != "old" && kind != "dormant" && kind != "trash") continue;
    bool found = false;
    for (const auto& f : finds)
      found = found || (isOf(f, kind) && (kind == "large" || kind == "dormant" ? f["items"][0]["path"]
                                                                               : f["place"]) == e["path"]);
    EXPECT_EQ(found, e["find"].get<bool>()) << e;
    ++checked;
  }
  EXPECT_GE(checked, 12);
  const auto proposal = ztally("propose", "--job", job, "--json").json();
  EXPECT_FALSE(proposal["reached"].get<bool>()) << "the rest is for a person to decide";
  EXPECT_GE(proposal["decisions"].size(), 5u);
  for (const auto& line : proposal["lines"]) {
    const std::string path = line["items"][0]["path"];
    EXPECT_FALSE(path.starts_with("srv/recordings") || path.starts_with("boot") || path.starts_with("old"))
        << path;
    EXPECT_TRUE(line["regret"] == "none" || line["regret"] == "time-or-bandwidth" ||
                line["regret"] == "a-way-back")
        << line["regret"];
  }
  EXPECT_LE(proposal["proof"]["bound_gap"].get<double>(), 0.001);
}

/// Somebody says of everything that it may go: what a system needs, and parts of what goes only as a whole,
/// still do not.
TEST(ZtallyDemo, ProposesNothingThatIsLockedWhateverIsSaid) {
  TempFolder t;
  ASSERT_EQ(ztally("demo", t / "si").status, 0);
  const std::string job = t / "a.ztjob";
  ASSERT_EQ(ztally("measure", t / "si", "--stand-in", "--job", job, "--target", "240GB").status, 0);
  std::vector<std::string> mark{ZTALLY, "mark", "may-go", "--job", job};
  for (const auto& e : std::filesystem::directory_iterator(t / "si/drive"))
    mark.push_back(e.path().filename());
  ASSERT_EQ(runProgram(mark).status, 0);
  const Ran proposed = ztally("propose", "--job", job, "--json");
  ASSERT_EQ(proposed.status, 3) << proposed.err;
  const auto plan = proposed.json();
  ASSERT_GT(plan["lines"].size(), 100u);
  for (const auto& line : plan["lines"])
    for (const auto& item : line["items"]) {
      const std::string path = item["path"];
      for (const char* locked : {"usr/", "etc/", "boot/", "swapfile", "previous-system/"})
        EXPECT_FALSE(path.starts_with(locked)) << path;
    }
}

TEST_F(Ztally, ListsWhatAnswersAQuestion) {
  measure();
  const auto j = ztally("list", "--job", job, "video", "--sort", "newest", "--json").json();
  ASSERT_EQ(j["found"], 2);
  EXPECT_EQ(j["entries"][0]["path"], "films/one.mp4") << "newest first";
  EXPECT_GE(j["exclusive_bytes"].get<std::uint64_t>(), 3'500'000u);
  EXPECT_EQ(ztally("list", "--job", job, "older 2 y, files", "--json").json()["found"], 1);
  EXPECT_NE(ztally("list", "--job", job).out.find("4 found"), std::string::npos) << "everything";
  const Ran bad = ztally("list", "--job", job, "films, over much");
  EXPECT_EQ(bad.status, 2);
  EXPECT_NE(bad.err.find("over much"), std::string::npos) << bad.err;
}

TEST_F(Ztally, MeasuresOneFolderAgain) {
  measure();
  t.file("drive/films/three.mp4", 3'000'000);
  t.file("drive/late", "x");
  const Ran ran = ztally("measure", t / "drive", "--job", job, "--folder", "films", "--json");
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_EQ(ran.json()["files"], 4) << "the new film, but not what is new elsewhere";
  EXPECT_EQ(ztally("tree", "--job", job, "films", "--json").json()["children"].size(), 3u);
  EXPECT_EQ(ztally("measure", t / "drive", "--job", job, "--folder", "none").status, 1);
}

TEST_F(Ztally, ExportsAndImportsToExploreOnly) {
  measure();
  for (const char* name : {"out.jsonl.zst", "out.csv"}) {
    SCOPED_TRACE(name);
    ASSERT_EQ(ztally("export", "--job", job, "-o", t / name).status, 0);
    EXPECT_NE(ztally("export", "--job", job, "-o", t / name).status, 0) << "nothing is overwritten";
    const std::string copy = t / name + std::string(".ztjob");
    const Ran in = ztally("import", t / name, "--job", copy, "--json");
    ASSERT_EQ(in.status, 0) << in.err;
    EXPECT_EQ(in.json()["entries"], 5);
    EXPECT_EQ(ztally("list", "--job", copy, "odd", "--json").json()["entries"][0]["path"],
              "odd\\x0aname\\xff");
    EXPECT_EQ(ztally("finds", "--job", copy).status, 0);
    for (const std::string verb : {"propose", "prove"}) {
      const Ran refused = ztally(verb, "--job", copy);
      EXPECT_EQ(refused.status, 4) << verb << refused.out << refused.err;
      EXPECT_NE(refused.err.find("imported"), std::string::npos) << refused.err;
    }
    EXPECT_EQ(ztally("plan", "--job", copy, "add", "films/one.mp4").status, 4);
  }
  EXPECT_EQ(ztally("export", "--job", job, "-o", t / "out.txt").status, 2);
  t.file("bad.csv", "a,b\n");
  EXPECT_EQ(ztally("import", t / "bad.csv", "--job", t / "b.ztjob").status, 1);
  EXPECT_FALSE(t.has("b.ztjob"));
}

/// A rule on many: of two films the newest stays, then the older one, then the one that is named.
TEST_F(Ztally, PlansByARule) {
  measure();
  const auto planned = [&](std::vector<std::string> rule) {
    ztally("plan", "--job", job, "drop", "films/one.mp4");
    ztally("plan", "--job", job, "drop", "films/two.mp4");
    std::vector<std::string> all{ZTALLY, "plan",          "--job",         job,
                                 "add",  "films/one.mp4", "films/two.mp4", "--json"};
    all.insert(all.end(), rule.begin(), rule.end());
    const Ran ran = runProgram(all);
    if (ran.status != 0) return "status " + std::to_string(ran.status);
    std::string paths;
    const auto plan = ran.json();
    for (const auto& line : plan["lines"]) paths += line["items"][0]["path"].get<std::string>() + " ";
    return paths;
  };
  EXPECT_EQ(planned({"--newest-stay", "1"}), "films/two.mp4 ");
  EXPECT_EQ(planned({"--older", "2 y"}), "films/two.mp4 ");
  EXPECT_EQ(planned({"--but", "films/two.mp4"}), "films/one.mp4 ");
  EXPECT_EQ(planned({"--older", "3 y"}), "status 1") << "nothing is left: said, and not silently nothing";
  EXPECT_EQ(planned({"--older", "soon"}), "status 2");
  EXPECT_EQ(planned({"--but", "films/none"}), "status 1");
  EXPECT_EQ(planned({"--newest-stay", "0"}), "status 2");
}

/// Equal content by its keeper, and files of one name that are not equal.
TEST_F(Ztally, MatchesContents) {
  t.file("drive/films/two again.mp4", t.read("drive/films/two.mp4"));
  t.file("drive/old/one.mp4", std::string(1'200'000, 'y'));
  measure();
  const Ran ran = ztally("match", "--job", job, "--least", "1kB", "--json");
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto j = ran.json();
  ASSERT_EQ(j["groups"].size(), 1u) << j;
  EXPECT_EQ(j["groups"][0]["bytes_each"], 1'500'000);
  EXPECT_EQ(j["groups"][0]["keeper"]["path"], "films/two.mp4") << "it is the older one";
  EXPECT_EQ(j["groups"][0]["copies"][0]["path"], "films/two again.mp4");
  EXPECT_EQ(j["groups"][0]["copies"][0]["linked"], false);
  EXPECT_GE(j["groups"][0]["gain"]["sure_bytes"].get<int>(), 1'500'000);
  EXPECT_LE(j["read_bytes"].get<double>(), j["needed_bytes"].get<double>() * 1.05);
  ASSERT_EQ(j["namesakes"].size(), 1u);
  EXPECT_EQ(j["namesakes"][0]["name"], "one.mp4");
  EXPECT_EQ(ztally("finds", "--job", job, "--kind", "duplicates", "--json").json()["finds"].size(), 1u);
  EXPECT_EQ(ztally("plan", "--job", job, "add", "films/two.mp4", "films/two again.mp4").status, 4);
  EXPECT_EQ(ztally("match", "--job", job, "--least", "much").status, 2);
  EXPECT_EQ(ztally("match", "--job", job, "--least", "2MB", "--json").json()["groups"].size(), 0u);
}

/// Options may stand before or after a sub-verb and its items.
TEST_F(Ztally, TakesOptionsAnywhere) {
  measure();
  EXPECT_EQ(ztally("plan", "add", "films/one.mp4", "--action", "hold", "--job", job).status, 0);
  EXPECT_EQ(ztally("plan", "add", "--action", "discard", "--job", job, "films/two.mp4").status, 0);
  EXPECT_EQ(ztally("mark", "keep", "odd\\x0aname\\xff", "--json", "--job", job).json()["marks"].size(), 1u);
  const auto plan = ztally("plan", "show", "--json", "--job", job).json();
  ASSERT_EQ(plan["lines"].size(), 2u);
  EXPECT_EQ(plan["lines"][0]["action"], "hold");
  EXPECT_EQ(plan["lines"][1]["action"], "discard");
  EXPECT_EQ(
      ztally("plan", "move", plan["lines"][1]["id"].get<std::string>(), "--by", "-1", "--job", job).status,
      0);
  EXPECT_EQ(ztally("plan", "--job", job, "--json", "show").json()["lines"][0]["action"], "discard");
}

TEST_F(Ztally, LocksWhatSomebodyKeeps) {
  measure();
  ASSERT_EQ(ztally("plan", "add", "films/one.mp4", "--job", job).status, 0);
  const Ran marked = ztally("mark", "keep", "films", "--job", job);
  EXPECT_EQ(marked.status, 0);
  EXPECT_NE(marked.err.find("left the plan"), std::string::npos) << marked.err;
  EXPECT_EQ(ztally("plan", "show", "--json", "--job", job).json()["lines"].size(), 0u);
  EXPECT_EQ(ztally("plan", "add", "films/two.mp4", "--job", job).status, 4);
  EXPECT_EQ(ztally("mark", "clear", "films", "--job", job).status, 0);
  EXPECT_EQ(ztally("plan", "add", "films/two.mp4", "--job", job).status, 0);
  EXPECT_EQ(ztally("mark", "keep", "films/none", "--job", job).status, 1);
}

/// A path is understood in one way, however it is written; what is not there is an error, never silently
/// nothing.
TEST_F(Ztally, UnderstandsPathsInOneWay) {
  ASSERT_EQ(measure().status, 0);
  for (const std::string& path :
       {std::string("/films/one.mp4"), std::string("films//one.mp4"), std::string("./films/one.mp4"),
        std::string("other/../films/one.mp4"), std::string("films/one.mp4/"), t / "drive/films/one.mp4"}) {
    const Ran marked = ztally("mark", "keep", path, "--job", job, "--json");
    ASSERT_EQ(marked.status, 0) << path << marked.err;
    EXPECT_NE(marked.out.find("\"films/one.mp4\""), std::string::npos) << path << marked.out;
    EXPECT_EQ(ztally("plan", "--job", job, "add", "films/one.mp4").status, 4) << path;
    ASSERT_EQ(ztally("mark", "clear", path, "--job", job).status, 0) << path;
    EXPECT_EQ(ztally("plan", "--job", job, "add", path).status, 0) << path;
    EXPECT_EQ(ztally("plan", "--job", job, "drop", path).status, 0) << path;
  }
  for (const char* path : {"/photos", "films/on.mp4", "../films", "a/../../b"}) {
    EXPECT_EQ(ztally("mark", "keep", path, "--job", job).status == 0, false) << path;
    EXPECT_EQ(ztally("propose", "--keep", path, "--job", job).status == 0, false) << path;
  }
}

TEST_F(Ztally, ChangesAPlanWhollyOrNotAtAll) {
  ASSERT_EQ(measure().status, 0);
  ASSERT_EQ(ztally("plan", "--job", job, "add", "films/one.mp4", "films/two.mp4").status, 0);
  EXPECT_NE(ztally("plan", "--job", job, "drop", "films/one.mp4", "nosuch").status, 0);
  EXPECT_EQ(ztally("plan", "--job", job, "show", "--json").json()["lines"].size(), 2u);
  // A plan that is only tried out does not become the job's.
  t.file("other.json", ztally("plan", "--job", job, "show", "--json").out);
  const auto lines = [&] { return ztally("plan", "--job", job, "show", "--json").json()["lines"].dump(); };
  const std::string all = lines();
  ASSERT_EQ(ztally("plan", "--job", job, "drop", "films/one.mp4").status, 0);
  const std::string before = lines();
  ztally("reclaim", "--job", job, "--plan", t / "other.json", "--dry-run");
  EXPECT_EQ(lines(), before) << "a dry run";
  ztally("reclaim", "--job", job, "--plan", t / "other.json");
  EXPECT_EQ(lines(), before) << "without consent";
  EXPECT_NE(before, all);
}

TEST_F(Ztally, SaysWhatNoQuestionCanMean) {
  ASSERT_EQ(measure().status, 0);
  for (const char* question :
       {"over 1 GB, under 1 MB", "files, folders", "in nowhere", "of nobody", "older 2 y, newer 1 y"}) {
    const Ran ran = ztally("list", question, "--job", job);
    EXPECT_EQ(ran.status, 2) << question;
    EXPECT_FALSE(ran.err.empty()) << question;
  }
}

/// The job's file is gone; what it held is found on the drive and put back, or let go with consent.
TEST_F(Ztally, PutsALostJobsThingsBackFromTheDriveAlone) {
  t.file("si/manifest.json",
         std::string(
             R"({"format":"zip-tally-stand-in","version":1,"id":"lost","role":"data","kind":"rotating",)") +
             R"("capacity_bytes":100000000})");
  t.file("si/drive/tapes/one.wav", 300'000);
  t.file("si/drive/tapes/two.wav", 200'000);
  ASSERT_EQ(ztally("measure", t / "si", "--stand-in", "--job", job).status, 0);
  ASSERT_EQ(ztally("plan", "add", "--action", "hold", "tapes/one.wav", "tapes/two.wav", "--job", job).status,
            0);
  ASSERT_EQ(agree(job).status, 0);
  EXPECT_FALSE(t.has("si/drive/tapes/one.wav"));
  std::filesystem::remove(job);
  const Ran asked = ztally("release", "--drive", t / "si", "--stand-in", "--json");
  EXPECT_EQ(asked.status, 4) << asked.err;
  const Ran back = ztally("undo", "--drive", t / "si", "--stand-in", "--json");
  ASSERT_EQ(back.status, 0) << back.err;
  EXPECT_EQ(back.json()["items"].size(), 2u);
  EXPECT_TRUE(t.has("si/drive/tapes/one.wav"));
  EXPECT_TRUE(t.has("si/drive/tapes/two.wav"));
  EXPECT_FALSE(t.has("si/drive/.zip-tally-hold"));
  EXPECT_EQ(ztally("undo").status, 2) << "of what?";
}

/// Two jobs of two people hold things of one drive at once; each puts its own back.
TEST_F(Ztally, KeepsTwoJobsOnOneDriveApart) {
  t.file("drive/other/three.mp4", 800'000);
  const std::string second = t / "b.ztjob";
  for (const auto& [file, path] : {std::pair(job, "films/one.mp4"), std::pair(second, "other/three.mp4")}) {
    ASSERT_EQ(ztally("measure", t / "drive", "--job", file, "--job-on-drive").status, 0);
    ASSERT_EQ(ztally("plan", "add", "--action", "hold", path, "--job", file).status, 0);
    ASSERT_EQ(agree(file).status, 0);
  }
  EXPECT_EQ(ztally("undo", "--job", second).status, 0);
  EXPECT_TRUE(t.has("drive/other/three.mp4"));
  EXPECT_FALSE(t.has("drive/films/one.mp4"));
  EXPECT_EQ(ztally("undo", "--job", job).status, 0);
  EXPECT_TRUE(t.has("drive/films/one.mp4"));
}

TEST(ZtallyPlaces, ChecksAUsersFileAndSaysWhere) {
  TempFolder t;
  t.file("good.toml",
         "[[place]]\nfamily='linux'\nid='mine'\npaths=['srv/x']\nstanding='kept'\nwhat='samples'\n");
  t.file("bad.toml",
         "[[place]]\nfamily='linux'\nid='mine'\npaths=['srv/x']\nstanding='gone'\nwhat='samples'\n");
  t.file("loose.toml",
         "[[place]]\nfamily='linux'\nid='mine'\npaths=['usr']\nstanding='spent'\nwhat='samples'\n");
  const Ran good = ztally("places", t / "good.toml", "--json");
  ASSERT_EQ(good.status, 0) << good.err;
  EXPECT_EQ(good.json()["own_places"], 1);
  EXPECT_GT(good.json()["places"].size(), 300u);
  const Ran bad = ztally("places", t / "bad.toml");
  EXPECT_EQ(bad.status, 2);
  EXPECT_NE(bad.err.find("line 5"), std::string::npos) << bad.err;
  EXPECT_EQ(ztally("places", t / "loose.toml").status, 2);
  EXPECT_EQ(ztally("places", t / "none.toml").status, 1);
}

/// With an error in one's own file no job is opened: what it says may be what protects something.
TEST(ZtallyPlaces, MeasuresNothingWhileAUsersFileIsWrong) {
  TempFolder t;
  t.file("drive/x", 9'000);
  t.file("config/zip-tally/places.toml", "[[place]]\nid='mine'\n");
  const Ran ran =
      runProgram({"/usr/bin/env", "XDG_CONFIG_HOME=" + (t / "config"), ZTALLY, "measure", t / "drive"});
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.err.find("places.toml, line 1"), std::string::npos) << ran.err;
}

TEST(ZtallyDemo, BuildsThreeDrivesAndTellsWhatThingsAre) {
  TempFolder t;
  ASSERT_EQ(ztally("demo", t / "ferry", "--drive", "ferry").status, 0);
  EXPECT_EQ(ztally("demo", t / "other", "--drive", "other").status, 2);
  const std::string job = t / "a.ztjob";
  ASSERT_EQ(ztally("measure", t / "ferry", "--stand-in", "--job", job).status, 0);
  const auto finds = ztally("finds", "--job", job, "--json").json()["finds"];
  bool store = false;
  for (const auto& f : finds) {
    for (const char* key : {"maker", "lost", "comes_back", "cost", "rights", "restart", "undo", "copies",
                            "holders", "usual_size"})
      EXPECT_TRUE(f["evidence"].contains(key)) << key;
    if (f["place_id"] != "nt-component-store") continue;
    store = true;
    EXPECT_EQ(f["standing"], "bedrock");
    EXPECT_EQ(f["evidence"]["size"], "usual");
    EXPECT_FALSE(f["evidence"]["words"].get<std::string>().empty());
  }
  EXPECT_TRUE(store);
  for (const char* path : {"Windows", "WINDOWS/WinSxS", "hiberfil.sys", "Users/clerk/NTUSER.DAT",
                           "Windows.old/Windows/System32"})
    EXPECT_NE(ztally("plan", "--job", job, "add", path).status, 0) << path;
  const auto proposal = ztally("propose", "--job", job, "--json").json();
  EXPECT_TRUE(proposal["reached"].get<bool>());
}

}  // namespace
}  // namespace zt::test
