// SPDX-License-Identifier: GPL-3.0-or-later
// What knowing costs: zt_bench_knowing [THOUSANDS] prints, for a system of so many thousand entries in memory
// (1,000 unless said): matching the places, the whole context, each detector alone, and all side by side. Of
// the entries a fifth belong to 3,000 packages, a fifth lie in caches, a fifth in recordings; the rest are
// arrivals, thrown-away things with their records, package archives and small files.
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>

#include "support/planned.h"

namespace {

using namespace zt;
constexpr int rounds = 5;
constexpr TimeNs today = 1'800'000'000 * nsPerSecond;

double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

void print(const std::string& what, const std::function<void()>& work) {
  std::vector<double> times;
  for (int i = 0; i < rounds; ++i) times.push_back(seconds(work));
  std::sort(times.begin(), times.end());
  std::printf("%-28s median %.3f s (%.3f to %.3f)\n", what.c_str(), times[rounds / 2], times.front(),
              times.back());
}

/// Fills a system, so many entries of each sort a thousand.
class Filled {
public:
  explicit Filled(int thousands) : files_(std::make_shared<test::MemoryFileSystem>()), k_(thousands) {
    files_->capacity = Bytes{1} << 40;
    files_->add("etc/os-release", "ID=demo\n");
    files_->add("etc/passwd", "warden:x:1000:1000::/home/warden:/bin/sh\n");
    packages();
    many("home/warden/.cache/viewer/", 100, 1);
    many("home/warden/projects/site/node_modules/", 100, 2);
    many("srv/recordings/", 200, 3);
    many("home/warden/Downloads/", 50, 4);
    many("var/cache/apt/archives/", 10, 5, ".deb");
    many("home/warden/notes/", 190, 6);
    many("var/log/", 20, 7, ".gz");
    trash();
  }
  const std::shared_ptr<test::MemoryFileSystem>& files() const { return files_; }

private:
  void one(const std::string& path, int number) {
    const auto node = files_->add(path, "some bytes");
    node->stat.modified = today - (number % 1500) * nsPerDay;
    node->stat.occupied = 4096 * (1 + static_cast<Bytes>(number % 97));
  }
  void many(const std::string& folder, int perThousand, int sort, const std::string& ending = ".dat") {
    for (int i = 0; i < k_ * perThousand; ++i)
      one(folder + std::to_string(i % 1000) + "/" + std::to_string(sort) + "-" + std::to_string(i) + ending,
          i);
  }
  void packages() {
    constexpr int packages = 3'000;
    const int each = std::max(1, k_ * 200 / packages);
    std::string status;
    for (int p = 0; p < packages; ++p) {
      const std::string name = "parcel-" + std::to_string(p);
      status += "Package: " + name +
                "\nStatus: install ok installed\nPriority: optional\nArchitecture: amd64\n" + "Version: 1." +
                std::to_string(p) + "\nInstalled-Size: 400\nDepends: parcel-" + std::to_string(p / 2) +
                ", libc6 (>= 2.3)\nDescription: a part\n of the bench\n\n";
      std::string list = "/.\n/usr\n/usr/share\n";
      for (int i = 0; i < each; ++i) {
        const std::string path = "usr/share/" + name + "/" + std::to_string(i);
        one(path, i);
        list += "/" + path + "\n";
      }
      files_->add("var/lib/dpkg/info/" + name + ".list", list);
    }
    files_->add("var/lib/dpkg/status", status);
  }
  void trash() {
    for (int i = 0; i < k_ * 50; ++i) {
      const std::string name = "thrown-" + std::to_string(i);
      one("home/warden/.local/share/Trash/files/" + name, i);
      files_->add("home/warden/.local/share/Trash/info/" + name + ".trashinfo",
                  "[Trash Info]\nPath=/home/warden/" + name + "\nDeletionDate=2020-01-01T10:00:00\n");
    }
  }

  std::shared_ptr<test::MemoryFileSystem> files_;
  int k_;
};

}  // namespace

int main(int argc, char** argv) {
  const Filled filled(argc > 1 ? std::max(1, std::atoi(argv[1])) : 1'000);
  const auto survey = test::surveyOf(filled.files(), "/", 2);
  std::printf("%u entries\n", survey->tree.entries());
  const auto places = [] { return PlaceMap({{"", "", SystemFamily::linuxFamily, true, false}}, {}); };
  const PlaceMap map = places();
  FindOptions options;
  options.now = today;
  print("matching", [&] { (void)judge(map, survey->tree, {today, {}}); });
  ContextPtr context;
  print("the whole context", [&] { context = std::make_shared<FindContext>(survey, places(), options); });
  const auto craft = builtInCraft();
  const DetectInput input{context, filled.files(), filled.files()->openRoot("/").value()};
  for (const auto& detector : craft->detectors.all())
    print("  " + std::string(detector->id()), [&] {
      std::size_t count = 0;
      (void)detector->detect(input, [&](Find) { return ++count, true; }, {});
    });
  Detected all;
  print("all detectors, side by side", [&] { all = detectAll(craft->detectors, input, {}, {}); });
  std::printf("%zu finds, %zu problems\n", all.finds.size(), all.problems.size());
  return 0;
}
