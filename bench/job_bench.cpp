// SPDX-License-Identifier: GPL-3.0-or-later
// What a job costs as a whole: zt_bench_job [FOLDER [whole]] prints, for the tree of 1,000,000 entries that
// zt_bench makes in FOLDER, the time from Measure to finds shown and job saved against the walk floor; how
// long a plan takes 100 finds; and the discard of 20,000 files against rename and unlink of as many with one
// sync per 256.
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <functional>
#include <vector>

#include "bench/floor_walk.h"
#include "core/job/job.h"
#include "core/job/linux_workshop.h"

namespace {

namespace fs = std::filesystem;
constexpr int rounds = 7;
constexpr int discarded = 20'000;
constexpr int perSync = 256;

double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

template <class T>
T orDie(zt::Result<T> got) {
  if (!got) {
    std::fprintf(stderr, "%s %s: %d\n", got.error().operation.data(), got.error().path.c_str(),
                 static_cast<int>(got.error().code));
    std::exit(1);
  }
  if constexpr (!std::is_void_v<T>) return std::move(*got);
}

void print(const char* what, std::vector<double> values, const char* unit) {
  std::sort(values.begin(), values.end());
  std::printf("%s: median %.3f%s (%.3f to %.3f)\n", what, values[values.size() / 2], unit, values.front(),
              values.back());
}

/// This machine, without a register: a benchmark is no visit.
zt::Workshop workshop() {
  zt::Workshop w = zt::linuxWorkshop();
  w.visits = nullptr;
  return w;
}

std::unique_ptr<zt::Job> measured(const fs::path& place, const fs::path& file, double* took = nullptr) {
  fs::remove(file);
  zt::Job::Options options;
  options.file = file.string();
  options.acceptOnDrive = true;
  auto job = orDie(zt::Job::create(workshop(), place.string(), false, options));
  const double time = seconds([&] { orDie(job->measurer().measure({}, {}, nullptr)); });
  if (took != nullptr) *took = time;
  return job;
}

void benchWhole(const fs::path& tree, const fs::path& file) {
  zt::bench::floorWalk(tree.string(), 2);
  std::vector<double> ratios, times;
  for (int i = 0; i < rounds; ++i) {
    const double floor = seconds([&] { zt::bench::floorWalk(tree.string(), 2); });
    double took = 0;
    measured(tree, file, &took);
    times.push_back(took);
    ratios.push_back(took / floor);
  }
  print("Measure to finds shown and job saved / walk floor", ratios, "");
  print("  by the clock", times, " s");
}

/// Old files in a hundred folders of their own, so that there are more than a hundred finds. They lie where
/// no place speaks for them, as one does for what is temporary: beside this program.
void benchPlan(const fs::path& file) {
  const fs::path place = fs::canonical("/proc/self/exe").parent_path() / "many-finds";
  if (!fs::exists(place))
    for (int i = 0; i < 150; ++i) {
      const fs::path folder = place / ("cellar-" + std::to_string(i)) / "tapes";
      fs::create_directories(folder);
      for (int j = 0; j < 3; ++j) {
        const fs::path path = folder / ("tape-" + std::to_string(j));
        std::ofstream(path) << std::string(1'500'000, 'x');
        const timespec old[2]{{1'500'000'000, 0}, {1'500'000'000, 0}};
        ::utimensat(AT_FDCWD, path.c_str(), old, 0);
      }
    }
  const auto job = measured(place, file);
  std::vector<std::string> ids;
  for (const zt::Find& find : *job->surveys().finds())
    if (ids.size() < 100 &&
        std::any_of(find.offers.begin(), find.offers.end(),
                    [](const zt::Offer& offer) { return offer.action == "hold"; }) &&
        std::none_of(ids.begin(), ids.end(), [&](const auto& id) { return id == find.id; }) &&
        find.standing == zt::Standing::unjudged)
      ids.push_back(find.id);
  if (ids.size() != 100) std::abort();
  std::vector<double> adds, edits;
  for (int i = 0; i < rounds; ++i) {
    adds.push_back(1e3 * seconds([&] { orDie(job->planBook().add(ids, "hold")); }));
    edits.push_back(1e3 * seconds([&] { orDie(job->planBook().drop(ids.front())); }));
    orDie(job->planBook().edit([](zt::Plan& plan) { plan.lines.clear(); }));
  }
  std::printf("%zu finds at once\n", ids.size());
  print("  put on the plan", adds, " ms");
  print("  one taken off", edits, " ms");
}

void fill(const fs::path& folder) {
  fs::create_directories(folder);
  const int dir = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY);
  for (int i = 0; i < discarded; ++i) {
    const int fd = ::openat(dir, ("tape-" + std::to_string(i)).c_str(), O_WRONLY | O_CREAT, 0644);
    if (::write(fd, "one sound", 9) != 9) std::abort();
    ::close(fd);
  }
  ::close(dir);
  ::sync();
}

double floorDiscard(const fs::path& folder) {
  const int from = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY);
  fs::create_directories(folder.string() + ".aside");
  const int to = ::open((folder.string() + ".aside").c_str(), O_RDONLY | O_DIRECTORY);
  const double took = seconds([&] {
    for (int i = 0; i < discarded; ++i) {
      const std::string name = "tape-" + std::to_string(i);
      if (::renameat(from, name.c_str(), to, name.c_str()) != 0 || ::unlinkat(to, name.c_str(), 0) != 0)
        std::abort();
      if (i % perSync == perSync - 1) ::fsync(to);
    }
    ::fsync(to);
  });
  ::close(from);
  ::close(to);
  return took;
}

void benchDiscard(const fs::path& top, const fs::path& file) {
  std::vector<double> ratios, times;
  for (int i = 0; i < 3; ++i) {
    const fs::path place = top / "discard";
    fs::remove_all(place);
    fill(place / "floor");
    const double floor = floorDiscard(place / "floor");
    fill(place / "own/tapes");
    const auto job = measured(place / "own", file);
    std::vector<zt::PathBytes> paths;
    for (int f = 0; f < discarded; ++f) paths.push_back("tapes/tape-" + std::to_string(f));
    orDie(job->planBook().addPaths(paths, "discard"));
    const double took = seconds([&] {
      const auto report = orDie(job->reclaim(job->planBook().consent().token, {}));
      if (report.lines.empty()) std::abort();
    });
    if (!fs::is_empty(place / "own/tapes")) std::abort();
    ratios.push_back(took / floor);
    times.push_back(took);
  }
  print("20,000 files discarded / renamed and unlinked with one sync per 256", ratios, "");
  print("  by the clock", times, " s");
}

}  // namespace

int main(int argc, char** argv) {
  ::setvbuf(stdout, nullptr, _IOLBF, 0);
  const fs::path top = argc > 1 ? argv[1] : "/var/tmp/zip-tally-bench";
  const fs::path tree = top / "1000000";
  const fs::path file = top / "bench.ztjob";
  if (fs::exists(tree / "complete"))
    benchWhole(tree, file);
  else
    std::printf("no tree of 1,000,000 entries in %s: run zt_bench first\n", top.c_str());
  if (argc > 2) return 0;  // the first alone
  benchPlan(file);
  benchDiscard(top, file);
}
