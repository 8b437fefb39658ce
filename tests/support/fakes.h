// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "core/job/workshop.h"
#include "core/os/btrfs/linux_snapshots.h"
#include "core/os/linux/linux_drive_insides.h"
#include "core/os/linux/linux_file_system.h"
#include "core/os/linux/linux_mount_table.h"
#include "core/os/linux/linux_open_files.h"
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

/// Subvolumes as a test says they are, which go at once.
class FakeSnapshots final : public Snapshots {
public:
  Result<std::vector<Subvolume>> list(const PathBytes&) override { return all; }
  Result<void> begin(const PathBytes& target, const DropOrder&) override {
    return permitted ? Result<void>{} : fail(Errc::notPermitted, "drop", target);
  }
  Result<void> drop(const PathBytes& target, const Subvolume& meant) override {
    if (!permitted) return fail(Errc::notPermitted, "drop", target);
    if (auto may = checkDrop(all, meant); !may) return may;
    std::erase_if(all, [&](const Subvolume& s) { return s.id == meant.id; });
    gone.push_back(meant.id);
    return {};
  }
  Result<std::size_t> cleaning(const PathBytes&) override { return left; }

  /// A read-only snapshot of `origin`, taken as many seconds after the first as its number says.
  Subvolume& add(std::uint64_t id, const std::string& origin = "0a") {
    Subvolume s;
    s.id = id;
    s.parent = 5;
    s.uuid = "u" + std::to_string(id);
    s.parentUuid = origin;
    s.name = "p" + std::to_string(id);
    s.path = "points/" + s.name;
    s.made = static_cast<TimeNs>(id) * nsPerSecond;
    s.readOnly = true;
    return all.emplace_back(std::move(s));
  }
  std::vector<Subvolume> all;
  std::vector<std::uint64_t> gone;
  std::size_t left = 0;  ///< still being cleaned up
  bool permitted = true;
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
