// SPDX-License-Identifier: GPL-3.0-or-later
// Who holds what on a Btrfs drive against one pass over its trees: zt_bench_btrfs DEVICE, of a file system
// with one device, or an image of one, that nobody writes to. Prints the medians of five rounds each and
// their ratio.
#include <fcntl.h>
#include <unistd.h>

#include <absl/container/flat_hash_set.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <functional>

#include "core/os/btrfs/btrfs_forest.h"

namespace {

using namespace zt;

class File final : public BtrfsDevice {
public:
  explicit File(const char* path) : fd_(::open(path, O_RDONLY | O_CLOEXEC)) {}
  ~File() override { ::close(fd_); }
  File(const File&) = delete;
  File& operator=(const File&) = delete;
  bool read(Bytes at, std::span<char> into) override {
    return ::pread(fd_, into.data(), into.size(), static_cast<off_t>(at)) == std::ssize(into);
  }

private:
  int fd_;
};

double median(const std::function<void()>& work) {
  std::vector<double> all;
  for (int i = 0; i < 5; ++i) {
    const auto start = std::chrono::steady_clock::now();
    work();
    all.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
  }
  std::sort(all.begin(), all.end());
  return all[all.size() / 2];
}

/// Every node once, and every item looked at; nothing is kept.
std::size_t onePass(BtrfsNodes& nodes, const BtrfsRoots& roots) {
  std::array<std::vector<BtrfsPointer>, 8> levels;
  absl::flat_hash_set<Bytes> met;
  for (const BtrfsPointer& tree : roots.trees)
    if (tree.at != 0 && tree.level < levels.size() && met.insert(tree.at).second)
      levels[tree.level].push_back(tree);
  std::size_t count = 0, items = 0;
  for (std::size_t level = levels.size(); level-- > 0;) {
    (void)nodes.read(levels[level],
                     [&](std::size_t, const BtrfsNodes::Node& node) -> Result<void> {
                       ++count;
                       for (std::uint32_t i = 0; i < node.items; ++i) {
                         if (level == 0)
                           items += node.key(i).type + node.data(i).size();
                         else if (const BtrfsPointer child = node.child(i); met.insert(child.at).second)
                           levels[level - 1].push_back(child);
                       }
                       return {};
                     },
                     {});
  }
  return items == 0 ? 0 : count;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) return std::fprintf(stderr, "usage: zt_bench_btrfs DEVICE\n"), 2;
  File file(argv[1]);
  BtrfsNodes nodes([&](std::uint64_t) { return &file; });
  if (auto begun = nodes.begin(1); !begun) return std::fprintf(stderr, "no Btrfs that can be read\n"), 1;
  const auto roots = readBtrfsRoots(nodes, {});
  if (!roots) return 1;
  std::size_t count = 0, files = 0, extents = 0;
  const double pass = median([&] { count = onePass(nodes, *roots); });
  const double all = median([&] {
    const auto sizes = readBtrfsForest(nodes, *roots, {});
    if (sizes) files = sizes->reaches.size(), extents = sizes->extents.size();
  });
  std::printf("%zu subvolumes, %zu nodes, %zu shared extents, held %zu times: %.3f s / %.3f s = %.2f\n",
              roots->subvolumes.size(), count, extents, files, all, pass, all / pass);
}
