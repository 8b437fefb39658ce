// SPDX-License-Identifier: GPL-3.0-or-later
// Drives as people bring them, by lot: what is promised comes, what is told adds up, and nothing else goes.
#include <gtest/gtest.h>

#include "core/job/job.h"
#include "core/os/paths.h"
#include "support/fakes.h"
#include "support/life_drive.h"
#include "support/scale.h"
#include "support/seed.h"
#include "system/history.h"

namespace zt::test {
namespace {

class DrivesOfLife : public ::testing::TestWithParam<const char*> {
protected:
  /// What went was planned, and nothing else did; what is left is as it was.
  static void lookFor(const std::map<std::string, std::string>& before,
                      const std::map<std::string, std::string>& after,
                      const std::vector<PathBytes>& planned) {
    const auto wasPlanned = [&](const std::string& path) {
      return std::any_of(planned.begin(), planned.end(),
                         [&](const auto& p) { return path == p || path.starts_with(p + "/"); });
    };
    for (const auto& [path, holds] : before) {
      const auto now = after.find(path);
      if (now == after.end())
        EXPECT_TRUE(wasPlanned(path)) << path << " is gone";
      else
        EXPECT_EQ(now->second, holds) << path;
    }
    for (const auto& [path, holds] : after) EXPECT_TRUE(before.contains(path)) << path << " came";
  }
  /// What is called equal is, by checksums; and no plan takes all of what is equal, nor the last of a series.
  static void tryToLose(Job& job, const LifeDrive& life, const std::map<std::string, std::string>& contents) {
    MatchBook::Options options;
    options.least = 1;
    const auto equal = job.contents().match(options, nullptr);
    ASSERT_TRUE(equal);
    const SurveyTree& tree = job.surveys().survey()->tree;
    for (const EqualFiles& group : equal->groups)
      for (const NodeId node : group.nodes)
        EXPECT_EQ(contents.at(tree.path(node)), contents.at(tree.path(group.nodes.front())));
    for (const auto& group : life.equals()) {
      const auto holdsIt = [&](const auto& one) { return one.second == contents.at(group.front()); };
      const auto all = static_cast<std::size_t>(std::count_if(contents.begin(), contents.end(), holdsIt));
      const bool whole = std::all_of(group.begin(), group.end(), [&](const auto& path) {
        return contents.at(path) == contents.at(group.front());
      });
      if (!whole || all != group.size()) continue;
      EXPECT_FALSE(job.planBook().addPaths({group.begin(), group.end()}, "discard")) << group.front();
    }
    for (const std::string& newest : life.newest())
      for (const std::string& path :
           {newest, newest + "/tree", newest + "/tree/file3", std::string("data/backup")})
        EXPECT_FALSE(job.planBook().addPaths({path}, "discard")) << path;
  }
  /// No rule and no proposal takes the newest of a series, or what somebody can go on in; whatever the
  /// ceiling.
  static void tryByRule(Job& job, const LifeDrive& life) {
    std::set<std::string> stay(life.newest().begin(), life.newest().end());
    for (const char* path : {"points/p2", "points/writable"}) stay.insert(path);
    const auto mayGo = [&](const PathBytes& path) {
      return std::none_of(stay.begin(), stay.end(), [&](const std::string& s) {
        return path == s || beneath(path, s) || beneath(s, path);
      });
    };
    const FindContext& c = *job.surveys().context();
    for (const char* rule : {"newest 1", "daily", "monthly", "younger 0d", "share 0%"}) {
      const auto go = pointsToGo(c.points, *parsePolicy(rule), c.survey.usage.capacity, c.options.now);
      for (std::uint32_t i = 0; i < go.size(); ++i)
        EXPECT_FALSE(go[i] && !mayGo(c.points[i].path)) << rule << " takes " << c.points[i].path;
    }
    Target all;
    all.bytes = c.survey.usage.capacity;
    ASSERT_TRUE(job.planBook().setTargets({all}));
    for (int ceiling = 0; ceiling < regrets; ++ceiling) {
      ProposeOptions options;
      options.ceiling = static_cast<Regret>(ceiling);
      const auto proposal = job.planBook().propose(options);
      ASSERT_TRUE(proposal);
      for (const PlanLine& line : proposal->plan.lines)
        for (const Subject& item : line.items) EXPECT_TRUE(mayGo(item.path)) << "proposed: " << item.path;
    }
    ASSERT_TRUE(job.planBook().setTargets({}));
  }
  /// All of its series that may go, by their finds.
  static void planSeries(Job& job, std::vector<PathBytes>& planned) {
    std::vector<std::string> ids;
    for (const Find& f : *job.surveys().finds())
      if (f.kind == "points" && f.regret == Regret::wayBack) ids.push_back(f.id);
    if (ids.empty()) return;
    ASSERT_TRUE(job.planBook().add(ids, "drop"));
    for (const PlanLine& line : job.planBook().plan().lines)
      for (const Subject& item : line.items) planned.push_back(item.path);
  }
  /// The statement adds up: what nobody can explain is a thousandth at most.
  static void lookAt(const Survey& survey) {
    const Statement& s = survey.statement;
    EXPECT_EQ(s.sum(), static_cast<SignedBytes>(s.capacity));
    std::ostringstream lines;
    for (std::size_t i = 0; i < statementLines; ++i)
      lines << name(static_cast<StatementLine>(i)) << ' ' << s.lines[i] << '\n';
    for (const StatementPart& part : s.parts)
      lines << "  " << name(part.line) << ' ' << part.id << ' ' << part.bytes << ' ' << part.count << '\n';
    EXPECT_LE(std::abs(s[StatementLine::unexplained]), static_cast<SignedBytes>(s.capacity / 1000))
        << lines.str();
  }
};

TEST_P(DrivesOfLife, KeepWhatIsPromised) {
  const unsigned first = drawSeed();
  Bytes promised = 0;
  SignedBytes freed = 0;
  for (unsigned i = 0; i < seedsFor(70); ++i) {
    LifeDrive life(GetParam(), first + i);
    SCOPED_TRACE("seed " + std::to_string(first + i) + ": " + life.drawn());
    ZT_NEEDS(life.drive());
    auto job = Job::create(realWorkshop(), life.path(), false, {}).value();
    const auto contents = life.contents();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    lookAt(*job->surveys().survey());
    tryToLose(*job, life, contents);
    tryByRule(*job, life);
    for (const std::string& path : life.pick(12)) (void)job->planBook().addPaths({path}, "discard");
    std::vector<PathBytes> planned;
    if (i % 2 == 0) planSeries(*job, planned);
    for (const PlanLine& line : job->planBook().plan().lines)
      for (const Subject& item : line.items) planned.push_back(item.path);
    const PlannedGain gain = job->planBook().planned();
    const Bytes before = freeOn(life.path());
    std::ostringstream lines;
    const auto adds = stepGains(job->planBook().plan(), *job->surveys().context());
    for (std::size_t l = 0; l < adds.size(); ++l)
      lines << escapePath(job->planBook().plan().lines[l].items.front().path) << ' ' << adds[l].sure << " to "
            << adds[l].atMost << '\n';
    const auto report = job->reclaim(job->planBook().consent().token, {});
    ASSERT_TRUE(report) << name(report.error().code);
    waitForCounter(life.path());
    const auto rose = static_cast<SignedBytes>(freeOn(life.path())) - static_cast<SignedBytes>(before);
    for (const LineOutcome& o : report->lines)
      for (const JournalRecord& r : o.problems)
        lines << escapePath(r.path) << ": " << (r.problem ? name(*r.problem) : "") << '\n';
    // Others than ext4 move some blocks of their own at every change.
    const SignedBytes own = GetParam() == std::string("ext4") ? 0 : ownStructures;
    EXPECT_LE(static_cast<SignedBytes>(gain.sure), rose + own) << "sure\n" << lines.str();
    EXPECT_GE(static_cast<SignedBytes>(gain.atMost), rose - own) << "at most\n" << lines.str();
    lookFor(contents, life.contents(), planned);
    promised += gain.sure;
    freed += rose;
    if (HasFailure()) break;
  }
  std::printf("%s: %u drives, sure %.2f MB, freed %.2f MB\n", GetParam(), seedsFor(70),
              static_cast<double>(promised) / 1e6, static_cast<double>(freed) / 1e6);
}

INSTANTIATE_TEST_SUITE_P(Loop, DrivesOfLife, ::testing::Values("ext4", "xfs", "btrfs"),
                         [](const auto& one) { return std::string(one.param); });

}  // namespace
}  // namespace zt::test
