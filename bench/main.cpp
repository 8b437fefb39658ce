// SPDX-License-Identifier: GPL-3.0-or-later
// Prints the ratios of docs/measures.md: the survey against the walk floor, bytes an entry, and growth.
// usage: zt_bench [FOLDER]. Makes its trees in FOLDER (default: $ZT_BENCH_DIR or /var/tmp/zip-tally-bench)
// and keeps them for the next run.
#include <fcntl.h>
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
#include "core/os/linux_file_system.h"
#include "core/survey/walk.h"

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

double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

double median(std::vector<double> values) {
  std::sort(values.begin(), values.end());
  return values[values.size() / 2];
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

Surveyed surveyOnce(const std::string& root, unsigned threads) {
  zt::LinuxFileSystem files;
  const long before = residentBytes();
  auto survey = std::make_shared<zt::Survey>();
  Surveyed s;
  s.time = seconds([&] {
    const auto folder = files.openRoot(root).value();
    zt::WalkOptions options;
    options.threads = threads;
    if (!zt::walk(files, folder, options, {}, nullptr, survey)) std::abort();
  });
  s.entries = survey->tree.size();
  s.bytes = static_cast<double>(residentBytes() - before);
  return s;
}

void measureTree(const std::string& root, unsigned threads) {
  zt::bench::floorWalk(root, threads);
  std::vector<double> ratios, floors, surveys;
  Surveyed last;
  double memory = 0;
  for (int i = 0; i < 7; ++i) {
    const double floor = seconds([&] { zt::bench::floorWalk(root, threads); });
    last = surveyOnce(root, threads);
    memory = std::max(memory, last.bytes);
    floors.push_back(floor);
    surveys.push_back(last.time);
    ratios.push_back(last.time / floor);
  }
  const auto [low, high] = std::minmax_element(ratios.begin(), ratios.end());
  std::printf(
      "%8.0f entries, %u threads: survey / floor %.3f (%.3f to %.3f), floor %.2f us, survey %.2f us an "
      "entry, %.1f B an entry\n",
      last.entries, threads, median(ratios), *low, *high, median(floors) / last.entries * 1e6,
      median(surveys) / last.entries * 1e6, memory / last.entries);
}

}  // namespace

int main(int argc, char** argv) {
  const char* given = std::getenv("ZT_BENCH_DIR");
  const fs::path base = argc > 1 ? argv[1] : given != nullptr ? given : "/var/tmp/zip-tally-bench";
  for (const int entries : {100'000, 1'000'000}) {
    const fs::path tree = base / std::to_string(entries);
    makeTree(tree, entries);
    measureTree(tree.string(), 2);
    if (entries == 1'000'000) measureTree(tree.string(), 1);
  }
}
