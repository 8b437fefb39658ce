// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include "core/os/drive_insides.h"
#include "core/os/open_files.h"
#include "helper/conversation.h"

namespace zt::helper {

/// Answers the closed list of requests, all of them reading, for one client and one root. Checks each request
/// itself: nothing outside the root, no symbolic link, no other mount, no names of more than one part but in
/// `open`. Keeps no state beyond the folders that the client has open. One thread.
class Server : public Conversation {
public:
  Server(FileSystemReader& files, OpenFiles& openFiles, DriveInsides& insides, Send send);

  /// Opens the root so that reading leaves no trace; where it fails, the folder itself is read.
  std::function<Result<FolderPtr>(const PathBytes&)> quietly;

protected:
  /// A folder that a client has open, and where it was opened, from the root.
  struct Open {
    FolderPtr folder;
    PathBytes path;
    int inHold = -1;  ///< 0: a hold, 1: a job's, 2: a run's, more: in a thing that is held; −1: none of these
    std::uint64_t held = 0;  ///< inode of that thing
  };
  /// Opens a folder beneath another one.
  virtual Result<Open> reach(const Open& at, const PathBytes& path);
  Answer answer(const std::string& method, const Json& params) override;
  /// What is asked of the client before anything is read for it; all rights are still there.
  virtual Answer mayBegin(const Json& /*params*/, const PathBytes& /*root*/) { return Json(true); }
  /// The folder that a client names by `key`; nullptr if it has none such.
  const Open* open(const Json& params, const char* key) const;
  bool hasBegun() const { return begun_ && !ended_; }
  const Open* top() const;

private:
  Answer begin(const Json& params);
  Answer openIn(const Json& params);
  Answer stat(const Json& params);
  Answer list(const Json& params);
  Answer close(const Json& params);
  Answer usage(const Json& params);
  Answer uncover(const Json& params);
  Answer listOpenFiles(const Json& params);
  Answer overhead(const Json& params);
  Answer storedSizes(const Json& params);
  Answer treeOf(const Json& params);
  Answer end(const Json& params);

  const FolderPtr* folder(const Json& params) const;
  Answer lend(Open folder);
  FileSystemReader& files_;
  OpenFiles& openFiles_;
  DriveInsides& insides_;

  PathBytes root_;
  Result<DriveInsides::Uncovered> uncovered_ = fail(Errc::notPermitted, "uncover");
  absl::flat_hash_map<std::uint64_t, Open> folders_;
  std::uint64_t nextHandle_ = 1;
  bool begun_ = false;
  bool ended_ = false;
};

}  // namespace zt::helper
