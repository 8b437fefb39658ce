// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "core/job/workshop.h"
#include "core/os/btrfs/linux_snapshots.h"
#include "core/os/linux_drive_insides.h"
#include "core/os/linux_file_system.h"
#include "core/os/linux_mount_table.h"
#include "core/os/linux_open_files.h"
#include "core/os/system.h"
#include "core/os/system_clock.h"
#include "core/reclaim/run.h"
#include "core/survey/measure/walk.h"

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

/// A drive's insides as a test says they are.
class FakeInsides final : public DriveInsides {
public:
  Overhead overhead(std::string_view, const PathBytes&) override { return structures; }
  Result<StoredSizes> storedSizes(std::string_view, const PathBytes& path, const std::stop_token&) override {
    if (!stored) return fail(Errc::notPermitted, "extents", path);
    return *stored;
  }
  Result<std::uint64_t> treeOf(const Folder&) override { return tree; }
  Result<Uncovered> uncovered(const PathBytes& path) override {
    if (!below) return fail(Errc::notPermitted, "uncover", path);
    return Uncovered{below, below->openRoot("/").value()};
  }
  Overhead structures{true, {}, 0};
  std::optional<StoredSizes> stored;
  std::uint64_t tree = 5;
  std::shared_ptr<FileSystemReader> below;
};

/// Nobody who could be asked for rights.
class NoRights final : public Privileged {
public:
  bool worthAsking() override { return false; }
  Result<std::unique_ptr<PrivilegedAccess>> start(const PathBytes& root) override {
    return fail(Errc::unsupported, "helper", root);
  }
};

/// The real machine, for tests on real files; nobody to ask for rights, no register.
inline Workshop realWorkshop() {
  Workshop w;
  w.files = std::make_shared<LinuxFileSystem>();
  w.mounts = std::make_shared<LinuxMountTable>();
  w.openFiles = std::make_shared<LinuxOpenFiles>();
  w.clock = std::make_shared<SystemClock>();
  w.insides = std::make_shared<LinuxDriveInsides>();
  w.privileged = std::make_shared<NoRights>();
  w.snapshots = std::make_shared<LinuxSnapshots>();
  return w;
}

/// Counted by its owner: for ports that a test keeps beside its own values.
template <class T>
std::shared_ptr<T> borrowed(T& value) {
  return std::shared_ptr<T>(std::shared_ptr<void>(), &value);
}

/// A survey of a folder, with the totals done; ends the test program if it fails.
inline std::shared_ptr<Survey> surveyOf(const FileSystemPtr& files, const PathBytes& path,
                                        unsigned threads = 1) {
  auto survey = std::make_shared<Survey>();
  const auto root = files->openRoot(path);
  if (!root) std::abort();
  survey->root = path;
  WalkOptions options;
  options.threads = threads;
  if (!walk(files, *root, options, {}, nullptr, survey)) std::abort();
  survey->usage = files->usage(**root).value_or(SpaceUsage{});
  survey->finished = SystemClock().now();
  return survey;
}

}  // namespace zt::test
