// SPDX-License-Identifier: GPL-3.0-or-later
// The finds of the three stand-in drives against the lists that come with them: precision and recall.
#include <gtest/gtest.h>

#include <fstream>
#include <nlohmann/json.hpp>
#include <set>

#include "core/job/job.h"
#include "demo/builder.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

struct Expected : ::testing::TestWithParam<const char*> {
  void SetUp() override {
    ASSERT_TRUE(demo::build(t / "si", real.clock->now(), GetParam()));
    auto made = Job::create(real, t / "si", true, {});
    ASSERT_TRUE(made) << made.error().detail;
    job = std::move(*made);
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    EXPECT_TRUE(job->surveys().problems().empty());
  }
  /// Whether a find of the kind is about a path: it names it, lies at it, or holds it among its things.
  bool found(std::string_view kind, std::string_view path) const {
    for (const Find& f : *job->surveys().finds()) {
      if (!isOfKind(f, kind)) continue;
      if (f.place == path) return true;
      for (const Subject& s : f.items)
        if (s.path == path || beneath(s.path, path)) return true;
    }
    return false;
  }
  /// What a near miss must not be in: the thing itself, or anything in it.
  bool touched(std::string_view kind, std::string_view path) const {
    for (const Find& f : *job->surveys().finds()) {
      if (!isOfKind(f, kind)) continue;
      for (const Subject& s : f.items)
        if (s.path == path || (kind != "dormant" && beneath(s.path, path))) return true;
    }
    return false;
  }
  TempFolder t;
  Workshop real = realWorkshop();
  std::unique_ptr<Job> job;
};

TEST_P(Expected, FindsAllThatIsThereAndNoNearMiss) {
  ASSERT_TRUE(job->contents().match({}, nullptr));
  const auto expected = nlohmann::json::parse(t.read("si/expected-finds.json"));
  std::size_t checked = 0;
  for (const auto& e : expected) {
    const std::string kind = e["kind"];
    const std::string path = e["path"];
    ++checked;
    if (e["find"].get<bool>())
      EXPECT_TRUE(found(kind, path)) << kind << " " << path;
    else
      EXPECT_FALSE(touched(kind, path)) << kind << " " << path << ": " << e.value("why", "");
  }
  EXPECT_GE(checked, 25u);
}

/// A find and what must be true of it: of a listed kind at a listed place.
using Listed = std::set<std::pair<std::string, std::string>>;

/// Every find is on the list that comes with the drive, on that of what is true beside it, or is what its
/// kind says by the entries' own figures.
TEST_P(Expected, FindsNothingThatNobodyListed) {
  Listed listed;
  for (const auto& e : nlohmann::json::parse(t.read("si/expected-finds.json")))
    if (e["find"].get<bool>()) listed.emplace(e["kind"], e["path"]);
  Listed beside;
  std::ifstream lines(std::string(ZT_TEST_DATA) + "/stand-ins/" + GetParam() + ".txt");
  for (std::string kind, path; std::getline(lines, kind, '\t') && std::getline(lines, path);)
    beside.emplace(kind, path);
  EXPECT_GE(beside.size(), 9u);
  ASSERT_TRUE(job->contents().match({}, nullptr));
  const SurveyTree& tree = job->surveys().survey()->tree;
  constexpr TimeNs year = 365 * 86'400 * nsPerSecond;
  for (const Find& f : *job->surveys().finds()) {
    const PathBytes& first = f.items.front().path;
    const auto speaksOf = [&](const auto& e) {
      return isOfKind(f, e.first) && (f.place == e.second || beneath(f.place, e.second) ||
                                      std::any_of(f.items.begin(), f.items.end(), [&](const Subject& s) {
                                        return s.path == e.second || beneath(s.path, e.second);
                                      }));
    };
    const bool known = std::any_of(listed.begin(), listed.end(), speaksOf);
    if (known || beside.erase({f.kind, first}) != 0) continue;
    // What is young, or the newest of its kind, may be asked for; nothing takes it by itself.
    if (hasFact(f, "younger-than") || hasFact(f, "among-newest")) {
      EXPECT_EQ(f.standing, Standing::unjudged) << first;
      EXPECT_GE(f.gain.atMost, 100'000u) << first << ": it is not worth a question";
      continue;
    }
    if (f.kind == "large") {
      EXPECT_EQ(f.items.size(), 1u);
      EXPECT_GE(tree.length(f.items[0].node), job->surveys().survey()->usage.capacity / 5000) << first;
    } else if (f.kind == "old") {
      for (const Subject& s : f.items) EXPECT_GT(real.clock->now() - tree.modified(s.node), year) << s.path;
    } else {
      ADD_FAILURE() << f.kind << " " << f.place << ": " << first;
    }
  }
  for (const auto& [kind, path] : beside) ADD_FAILURE() << "not found: " << kind << " " << path;
}

TEST_P(Expected, CountsNothingTwiceAndKnowsWhatItFinds) {
  std::set<PathBytes> seen;
  for (const Find& f : *job->surveys().finds()) {
    EXPECT_FALSE(f.id.empty());
    EXPECT_GT(f.gain.atMost + f.items.front().occupied, 0u) << f.kind << " " << f.place;
    const bool ofPlaces = f.kind == "leftovers" || f.kind == "caches" || f.kind == "packages" ||
                          f.kind == "arrivals" || f.kind == "trash" || f.kind == "stale-backups";
    if (!ofPlaces) continue;
    for (const Subject& s : f.items) EXPECT_TRUE(seen.insert(s.path).second) << f.kind << " " << s.path;
  }
  std::set<std::string> ids;
  for (const Find& f : *job->surveys().finds()) EXPECT_TRUE(ids.insert(f.id).second) << f.id;
}

/// What finds tell sums to what all of it together is: views of one thing count it once.
TEST_P(Expected, SumsCountOnce) {
  const FindContext& c = *job->surveys().context();
  std::vector<NodeId> nodes;
  Bytes sum = 0, plain = 0;
  for (const Find& f : *job->surveys().finds()) {
    if (f.items.front().kind != SubjectKind::entry) continue;
    plain += f.gain.atMost;
    sum += f.gain.atMost - numberIn(f, "told-elsewhere");
    for (const Subject& s : f.items) nodes.push_back(s.node);
  }
  const Bytes whole = c.gain.of(nodes).atMost;
  EXPECT_GT(plain, whole + whole / 100) << "something is told twice here";
  // What files share is at most each of theirs.
  EXPECT_NEAR(static_cast<double>(sum), static_cast<double>(whole), static_cast<double>(whole) / 50);
  EXPECT_LE(sum, job->surveys().survey()->usage.used());
}

TEST_P(Expected, ProposesNothingPersonal) {
  ASSERT_TRUE(job->planBook().addTarget("all of it", "100%"));
  const auto proposal = job->planBook().propose({});
  ASSERT_TRUE(proposal);
  EXPECT_FALSE(proposal->reached);
  EXPECT_FALSE(proposal->plan.lines.empty());
  for (const PlanLine& line : proposal->plan.lines) {
    EXPECT_LE(line.found, Regret::wayBack) << line.place;
    EXPECT_GE(line.standing, Standing::ownersCall) << line.place;
  }
  EXPECT_FALSE(proposal->decisions.empty());
}

INSTANTIATE_TEST_SUITE_P(StandIns, Expected, ::testing::Values("office", "ferry", "studio"),
                         [](const auto& drive) { return std::string(drive.param); });

}  // namespace
}  // namespace zt::test
