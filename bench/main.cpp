// SPDX-License-Identifier: GPL-3.0-or-later
// Prints the ratios of docs/measures.md: the survey against the walk floor, bytes an entry, growth, the size
// and the loading of saved surveys. usage: zt_bench [FOLDER], or as root zt_bench cold FOLDER on a tree that
// is there: both walks from an empty cache; or zt_bench tree FOLDER RUNS: one tree that is there, so often.
// Makes its trees in FOLDER (default: $ZT_BENCH_DIR or
// /var/tmp/zip-tally-bench) and keeps them for the next run. ZT_BENCH_BIG=1 adds the tree of 4,000,000
// entries.
#include <fcntl.h>
#include <malloc.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <functional>
#include <random>
#include <vector>

#include "bench/floor_walk.h"
#include "core/os/linux/limits.h"
#include "core/os/linux/linux_file_system.h"
#include "core/os/system_clock.h"
#include "core/survey/files/survey_codec.h"
#include "core/survey/measure/walk.h"

namespace {

namespace fs = std::filesystem;

/// A skewed tree: a few folders with very many entries, most with few, some deep; names of 20 bytes.
void makeTree(const fs::path& top, int entries) {
  if (fs::exists(top / "complete")) return;
  std::printf("making %d entries in %s…\n", entries, top.c_str());
  fs::remove_all(top);
  fs::create_directories(top);
  std::mt19937 random(20);
  std::vector<fs::path> folders{top};
  for (int made = 0; made < entries;) {
    const fs::path folder =
        folders[std::min(folders.size() - 1, static_cast<std::size_t>(random() % (folders.size() + 3)))] /
        ("folder-of-20-by-" + std::to_string(1000 + folders.size()));
    if (!fs::create_directory(folder)) continue;
    folders.push_back(folder);
    ++made;
    const int dir = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY);
    const int count = random() % 400 == 0 ? 4000 : static_cast<int>(random() % 24);
    for (int i = 0; i < count && made < entries; ++i, ++made) {
      const std::string name = "file-name-20-" + std::to_string(1'000'000 + i);
      ::close(::openat(dir, name.c_str(), O_WRONLY | O_CREAT, 0644));
    }
    ::close(dir);
  }
  std::ofstream(top / "complete") << "1\n";
  ::sync();
}

/// One folder with very many files.
void makeWide(const fs::path& top, int entries) {
  if (fs::exists(top / "complete")) return;
  fs::remove_all(top);
  fs::create_directories(top / "wide");
  const int dir = ::open((top / "wide").c_str(), O_RDONLY | O_DIRECTORY);
  for (int i = 0; i < entries; ++i)
    ::close(
        ::openat(dir, ("file-name-20-" + std::to_string(1'000'000 + i)).c_str(), O_WRONLY | O_CREAT, 0644));
  ::close(dir);
  std::ofstream(top / "complete") << "1\n";
  ::sync();
}

/// Folders within folders, one file in each.
void makeChain(const fs::path& top, int depth) {
  if (fs::exists(top / "complete")) return;
  fs::remove_all(top);
  fs::create_directories(top);
  int at = ::open(top.c_str(), O_RDONLY | O_DIRECTORY);
  for (int i = 0; i < depth; ++i) {
    ::close(::openat(at, "f", O_WRONLY | O_CREAT, 0644));
    ::mkdirat(at, "d", 0755);
    const int next = ::openat(at, "d", O_RDONLY | O_DIRECTORY);
    ::close(at);
    at = next;
  }
  ::close(at);
  std::ofstream(top / "complete") << "1\n";
  ::sync();
}

double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// Seconds of all threads on a processor, in this program and in the kernel for it; steadier than the clock
/// on the wall where others use the machine too.
double processorSeconds(const std::function<void()>& work) {
  const auto used = [] {
    rusage u{};
    ::getrusage(RUSAGE_SELF, &u);
    return static_cast<double>(u.ru_utime.tv_sec + u.ru_stime.tv_sec) +
           static_cast<double>(u.ru_utime.tv_usec + u.ru_stime.tv_usec) / 1e6;
  };
  const double before = used();
  work();
  return used() - before;
}

double median(std::vector<double> values) {
  std::sort(values.begin(), values.end());
  return values[values.size() / 2];
}

/// Highest resident bytes since `resetPeak`.
long peakBytes() {
  std::ifstream in("/proc/self/status");
  for (std::string word; in >> word;)
    if (word == "VmHWM:") {
      long kilobytes = 0;
      in >> kilobytes;
      return kilobytes * 1024;
    }
  return 0;
}

void resetPeak() {
  ::malloc_trim(0);
  std::ofstream("/proc/self/clear_refs") << "5\n";
}

long residentBytes() {
  std::ifstream in("/proc/self/statm");
  long size = 0;
  long resident = 0;
  in >> size >> resident;
  return resident * ::sysconf(_SC_PAGESIZE);
}

struct Surveyed {
  double time = 0;
  double entries = 0;
  double bytes = 0;
};

Surveyed surveyOnce(const std::string& root, unsigned threads, std::shared_ptr<zt::Survey>* keep = nullptr) {
  const auto files = std::make_shared<zt::LinuxFileSystem>();
  resetPeak();
  const long before = residentBytes();
  auto survey = std::make_shared<zt::Survey>();
  Surveyed s;
  s.time = seconds([&] {
    const auto folder = files->openRoot(root).value();
    zt::WalkOptions options;
    options.threads = threads;
    options.now = zt::SystemClock().now();
    options.watch = [](auto) {};  // as a window would watch it
    if (!zt::walk(files, folder, options, {}, nullptr, survey)) std::abort();
  });
  s.entries = survey->tree.size();
  s.bytes = static_cast<double>(peakBytes() - before);
  if (keep != nullptr) *keep = survey;
  return s;
}

void measureTree(const std::string& root, unsigned threads, int runs = 7) {
  zt::bench::floorWalk(root, threads);
  std::vector<double> ratios, floors, surveys, works;
  Surveyed last;
  double memory = 0;
  for (int i = 0; i < runs; ++i) {
    double floor = 0;
    const double floorWork =
        processorSeconds([&] { floor = seconds([&] { zt::bench::floorWalk(root, threads); }); });
    const double work = processorSeconds([&] { last = surveyOnce(root, threads); });
    works.push_back(work / floorWork);
    memory = std::max(memory, last.bytes);
    floors.push_back(floor);
    surveys.push_back(last.time);
    ratios.push_back(last.time / floor);
  }
  const auto [low, high] = std::minmax_element(ratios.begin(), ratios.end());
  std::printf(
      "%8.0f entries, %u threads: survey / floor %.3f (%.3f to %.3f), fastest / fastest %.3f, floor %.2f us, "
      "survey %.2f us an entry; processor time %.3f; %.1f B an entry\n",
      last.entries, threads, median(ratios), *low, *high,
      *std::min_element(surveys.begin(), surveys.end()) / *std::min_element(floors.begin(), floors.end()),
      median(floors) / last.entries * 1e6, median(surveys) / last.entries * 1e6, median(works),
      memory / last.entries);
}

/// Bytes and seconds of a survey that is saved and loaded again.
void measureSaved(const std::string& root) {
  std::shared_ptr<zt::Survey> survey;
  surveyOnce(root, 2, &survey);
  std::vector<std::string> pieces;
  const double saving = seconds([&] { pieces = zt::encodeSurvey(*survey); });
  std::size_t size = 0;
  for (const auto& piece : pieces) size += piece.size();
  std::vector<double> loads;
  for (int i = 0; i < 5; ++i)
    loads.push_back(seconds([&] {
      if (!zt::decodeSurvey(pieces)) std::abort();
    }));
  std::printf("saved survey: %.1f MB, %.1f B an entry, encoded in %.2f s, loaded in %.2f s\n",
              static_cast<double>(size) / 1e6, static_cast<double>(size) / survey->tree.size(), saving,
              median(loads));
}

/// Both walks with nothing in memory: the floor asks in the order of the listing, the survey in that of
/// inodes.
void measureCold(const std::string& root) {
  const auto forget = [] {
    ::sync();
    std::ofstream("/proc/sys/vm/drop_caches") << "3\n";
  };
  std::vector<double> ratios;
  for (int i = 0; i < 5; ++i) {
    forget();
    const double floor = seconds([&] { zt::bench::floorWalk(root, 2); });
    forget();
    const Surveyed s = surveyOnce(root, 2);
    ratios.push_back(s.time / floor);
    std::printf("cold: floor %.2f s, survey %.2f s, %.0f entries\n", floor, s.time, s.entries);
  }
  std::printf("cold: survey / floor median %.3f\n", median(ratios));
}

}  // namespace

int main(int argc, char** argv) {
  zt::keepLargeBlocksApart();
  if (argc == 3 && std::string_view(argv[1]) == "cold") return measureCold(argv[2]), 0;
  if (argc == 4 && std::string_view(argv[1]) == "tree") {
    measureTree(argv[2], 2, std::stoi(argv[3]));
    return measureSaved(argv[2]), 0;
  }
  const char* given = std::getenv("ZT_BENCH_DIR");
  const fs::path base = argc > 1 ? argv[1] : given != nullptr ? given : "/var/tmp/zip-tally-bench";
  const bool big = std::getenv("ZT_BENCH_BIG") != nullptr;
  for (const int entries : {100'000, 1'000'000, 4'000'000}) {
    if (entries == 4'000'000 && !big) continue;
    const fs::path tree = base / std::to_string(entries);
    makeTree(tree, entries);
    measureTree(tree.string(), 2);
    if (entries != 1'000'000) continue;
    measureTree(tree.string(), 1);
    measureSaved(tree.string());
  }
  std::printf("one folder of 1,000,000 files:\n");
  makeWide(base / "wide", 1'000'000);
  measureTree((base / "wide").string(), 2);
  std::printf("a chain of 10,000 folders:\n");
  makeChain(base / "chain", 10'000);
  measureTree((base / "chain").string(), 2);
}
