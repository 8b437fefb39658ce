// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "core/os/linux_file_system.h"
#include "core/os/linux_mount_table.h"
#include "core/os/linux_open_files.h"
#include "core/os/system.h"
#include "core/os/system_clock.h"
#include "core/reclaim/run.h"
#include "core/survey/walk.h"

namespace zt::test {

class FakeClock final : public Clock {
public:
  TimeNs now() const override { return time; }
  TimeNs time = 1'800'000'000 * nsPerSecond;
};

class FakeOpenFiles final : public OpenFiles {
public:
  Result<Listing> list() override { return Listing{files, true}; }
  std::vector<OpenFile> files;
};

class FakeMounts final : public MountTable {
public:
  Result<std::vector<Mount>> mounts() override { return table; }
  DeviceFacts facts(const Mount& mount) override { return known[mount.source]; }
  std::vector<Mount> table;
  std::map<PathBytes, DeviceFacts> known;
};

/// Keeps the last word on every item, and every word in order; can refuse to write from some call on.
class MemoryJournal final : public Journal {
public:
  Result<void> write(std::span<const JournalRecord> records) override {
    if (++writes == failAt) return fail(Errc::noSpace, "journal");
    for (const auto& r : records) {
      last[{r.run, r.seq}] = r;
      history.push_back(r);
    }
    return {};
  }
  std::vector<JournalRecord> in(ItemState state) const {
    std::vector<JournalRecord> found;
    for (const auto& [key, r] : last)
      if (r.state == state) found.push_back(r);
    return found;
  }
  std::map<std::pair<std::int64_t, std::int64_t>, JournalRecord> last;
  std::vector<JournalRecord> history;
  int writes = 0;
  int failAt = -1;
};

/// The real machine, for tests on real files.
struct RealSystem {
  LinuxFileSystem files;
  LinuxMountTable mounts;
  LinuxOpenFiles openFiles;
  SystemClock clock;
  System ports{files, mounts, openFiles, clock};
};

/// A survey of a folder, with the totals done; ends the test program if it fails.
inline std::shared_ptr<Survey> surveyOf(FileSystem& files, const PathBytes& path, unsigned threads = 1) {
  auto survey = std::make_shared<Survey>();
  const auto root = files.openRoot(path);
  if (!root) std::abort();
  survey->root = path;
  WalkOptions options;
  options.threads = threads;
  if (!walk(files, *root, options, {}, nullptr, *survey)) std::abort();
  survey->usage = files.usage(**root).value_or(SpaceUsage{});
  survey->finished = SystemClock().now();
  return survey;
}

}  // namespace zt::test
