// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include "core/drive/drive.h"
#include "core/drive/target.h"
#include "core/os/forwarding_file_system.h"
#include "core/os/system.h"
#include "core/survey/tree/holdings.h"

namespace zt {

/// What a stand-in folder cannot show by itself; read from `manifest.json`, see docs/formats/stand-in.md.
struct StandInManifest {
  struct Snapshot {
    std::string name;
    TimeNs taken = 0;
    Bytes ownBytes = 0;
    Bytes sharedBytes = 0;  ///< with the next one; of the last one with the one before
    std::string words;
  };
  /// Bytes that neighbours among the snapshots hold together; with a path, that file holds them too.
  struct Held {
    Bytes bytes = 0;
    std::uint32_t first = 0, last = 0;  ///< places in `snapshots`
    PathBytes path;
  };
  struct OpenFile {
    PathBytes path;
    std::string holder;
  };
  struct Hole {
    PathBytes path;
    Bytes occupied = 0;
  };
  std::string id;
  std::string name;
  std::string fsType;
  std::string options;
  DriveRole role = DriveRole::system;
  DriveKind kind = DriveKind::solidState;
  TimeNs built = 0;
  Bytes capacity = 0;
  Bytes reserved = 0;
  Bytes overhead = 0;
  Bytes beneathMounts = 0;
  Bytes openDeleted = 0;
  std::vector<Snapshot> snapshots;
  std::vector<Held> held;  ///< all of it; what a manifest says of single snapshots is brought to this form
  std::vector<OpenFile> openFiles;
  std::vector<Hole> holes;
  std::vector<PathBytes> stored;  ///< files whose content counts as written throughout
  std::vector<Target> targets;
};

/// Parses a manifest; fails with notOurs, tooNew or badInput.
Result<StandInManifest> parseStandIn(std::string_view json);

/// A simulated drive: a real folder of real files below `DIR/drive`, whose *length counts as occupied* (but
/// for declared holes), and a manifest in `DIR` that states capacity and the like. Everything else is real:
/// walks, reads, moves, removals. Any thread.
class StandInDrive final : public ForwardingFileSystem, public OpenFiles, public Snapshots {
public:
  /// Opens a stand-in; fails if the folder or its manifest is not one.
  static Result<std::unique_ptr<StandInDrive>> open(const System& system, const PathBytes& folder);

  Drive drive();
  const StandInManifest& manifest() const { return manifest_; }
  const PathBytes& root() const { return root_; }

  Result<OpenedFilePtr> openFile(const Folder& at, std::string_view name) override;
  Result<EntryStat> stat(const Folder& at, std::string_view name) override;
  Result<void> scan(const Folder& at, ScanSink& sink) override;
  /// Capacity less the manifest's lines and what the files really there occupy.
  Result<SpaceUsage> usage(const Folder& at) override;
  Result<void> syncAll(const Folder&) override { return {}; }
  /// What really is open, and what the manifest declares to be.
  Result<Listing> list() override;

  /// Who holds what: what the manifest says, without the snapshots that were let go.
  HoldingsPtr holdings(const SurveyTree& tree) const;
  /// Bytes that no file but a snapshot holds.
  Bytes heldBySnapshots() const;
  Result<std::vector<Subvolume>> list(const PathBytes&) override;
  Result<void> begin(const PathBytes&, const DropOrder&) override { return {}; }
  /// Noted beside the manifest, so that it lasts.
  Result<void> drop(const PathBytes&, const Subvolume& meant) override;
  Result<std::size_t> cleaning(const PathBytes&) override { return std::size_t{0}; }

private:
  StandInDrive(const System& system, PathBytes root, FolderPtr top, FolderPtr folder,
               StandInManifest manifest);
  void resolveDeclared();
  std::vector<bool> dropped() const;
  bool isForeign() const { return manifest_.fsType != "btrfs"; }
  EntryStat weigh(EntryStat stat) const;

  std::shared_ptr<OpenFiles> realOpen_;
  PathBytes root_;
  FolderPtr top_;     ///< where the manifest lies
  FolderPtr folder_;  ///< the drive's root
  StandInManifest manifest_;
  absl::flat_hash_set<std::uint64_t> sharing_;       ///< files whose bytes snapshots hold as well, by inode
  absl::flat_hash_map<std::uint64_t, Bytes> holes_;  ///< by inode
  absl::flat_hash_set<std::uint64_t> stored_;        ///< by inode
  std::vector<zt::OpenFile> declaredOpen_;
};

}  // namespace zt
