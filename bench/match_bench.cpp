// SPDX-License-Identifier: GPL-3.0-or-later
// What comparing contents costs: zt_bench_match FOLDER [cold] makes, in FOLDER, 3,000 files of one megabyte
// in pairs, and prints the time of a whole comparison against the read floor: as many readers that open and
// read the same files and do nothing with the bytes. "cold" empties the page cache before every round (needs
// rights). Then, for 200,000 candidates in memory, the bytes of memory that one takes.
#include <fcntl.h>
#include <malloc.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <functional>
#include <random>
#include <thread>
#include <vector>

#include "core/match/matcher.h"
#include "core/os/linux/linux_file_system.h"
#include "support/planned.h"

namespace {

namespace fs = std::filesystem;
using namespace zt;
/// So many files of so many bytes, each content twice.
struct Load {
  int files;
  std::size_t size;
};
constexpr unsigned readers = 2;
constexpr int rounds = 7;

double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

void make(const std::string& folder, const Load& load) {
  if (fs::exists(folder + "/done")) return;
  fs::create_directories(folder);
  for (int i = 0; i < load.files; ++i) {
    std::mt19937 random(static_cast<unsigned>(i / 2));
    std::string bytes(load.size, '\0');
    for (std::size_t at = 0; at < load.size; at += 4) {
      const auto word = static_cast<std::uint32_t>(random());
      for (std::size_t k = 0; k < 4; ++k) bytes[at + k] = static_cast<char>(word >> (8 * k));
    }
    std::ofstream(folder + "/" + std::to_string(i), std::ios::binary) << bytes;
  }
  ::sync();
  std::ofstream(folder + "/done") << "x";
}

void emptyCache() {
  ::sync();
  std::ofstream("/proc/sys/vm/drop_caches") << "3";
}

void floorRead(const std::string& folder, int files) {
  constexpr std::size_t buffered = 256 * 1024;  // stays in the cache
  std::atomic<int> next{0};
  const auto reader = [&] {
    std::vector<char> buffer(buffered);
    for (int i = next++; i < files; i = next++) {
      const int fd = ::open((folder + "/" + std::to_string(i)).c_str(), O_RDONLY | O_CLOEXEC | O_NOATIME);
      for (off_t at = 0;;) {
        const ssize_t got = ::pread(fd, buffer.data(), buffer.size(), at);
        if (got <= 0) break;
        at += got;
      }
      ::close(fd);
    }
  };
  std::vector<std::jthread> others;
  for (unsigned i = 1; i < readers; ++i) others.emplace_back(reader);
  reader();
}

double median(std::vector<double> all) {
  std::sort(all.begin(), all.end());
  return all[all.size() / 2];
}

class PeakHeap final : public ProgressSink {
public:
  void report(const Progress&) override {
    peak = std::max(peak, static_cast<std::size_t>(mallinfo2().uordblks));
  }
  std::size_t peak = 0;
};

/// Candidates of a few bytes: memory is what counts, not what is read.
void memory(const std::string& folder) {
  constexpr int candidates = 200'000;
  const std::string many = folder + "/many";
  if (!fs::exists(many))
    for (int i = 0; i < candidates; ++i) {
      if (i % 1000 == 0) fs::create_directories(many + "/d" + std::to_string(i / 1000));
      std::ofstream(many + "/d" + std::to_string(i / 1000) + "/f" + std::to_string(i))
          << i / 4 % 9'000 + 100'000;
    }
  const auto linuxFiles = std::make_shared<LinuxFileSystem>();
  const SurveyPtr survey = test::surveyOf(linuxFiles, many);
  const ContextPtr context = test::contextOf(survey);
  const auto root = linuxFiles->openRoot(many).value();
  PeakHeap heap;
  const std::size_t before = mallinfo2().uordblks;
  heap.peak = before;
  const MatchResult result = match(*linuxFiles, *root, *context, {}, {}, &heap);
  std::printf("memory: %.1f B a candidate while reading (of %d; %zu groups)\n",
              static_cast<double>(heap.peak - before) / candidates, candidates, result.groups.size());
}

}  // namespace

namespace {

void compare(const std::string& folder, const Load& load, bool cold) {
  make(folder, load);
  const auto linuxFiles = std::make_shared<LinuxFileSystem>();
  const SurveyPtr survey = test::surveyOf(linuxFiles, folder);
  const ContextPtr context = test::contextOf(survey);
  const auto root = linuxFiles->openRoot(folder).value();
  MatchOptions options;
  options.readers = readers;
  std::vector<double> floor, whole, ratio;
  MatchResult result;
  for (int i = 0; i < rounds; ++i) {
    if (cold) emptyCache();
    floor.push_back(seconds([&] { floorRead(folder, load.files); }));
    if (cold) emptyCache();
    whole.push_back(seconds([&] { result = match(*linuxFiles, *root, *context, options, {}, nullptr); }));
    ratio.push_back(whole.back() / floor.back());
  }
  std::printf(
      "%s, %d files of %zu MiB, %u readers: floor %.3f s, comparison %.3f s, ratio median %.3f (%.3f to "
      "%.3f); "
      "%zu groups; read / needed %.4f\n",
      cold ? "cold" : "warm", load.files, load.size >> 20, readers, median(floor), median(whole),
      median(ratio), *std::min_element(ratio.begin(), ratio.end()),
      *std::max_element(ratio.begin(), ratio.end()), result.groups.size(),
      static_cast<double>(result.read) / static_cast<double>(result.needed));
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) return std::fprintf(stderr, "usage: zt_bench_match FOLDER [cold]\n"), 2;
  const std::string folder = argv[1];
  compare(folder + "/small", {3'000, 1 << 20}, argc > 2);
  compare(folder + "/large", {400, 8 << 20}, argc > 2);
  memory(folder);
}
