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
class Server final : public Conversation {
public:
  Server(FileSystemReader& files, OpenFiles& openFiles, DriveInsides& insides, Send send);

  /// Opens the root so that reading leaves no trace; where it fails, the folder itself is read.
  std::function<Result<FolderPtr>(const PathBytes&)> quietly;

private:
  Answer answer(const std::string& method, const Json& params) override;
  Answer begin(const Json& params);
  Answer open(const Json& params);
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
  Answer lend(FolderPtr folder);
  FileSystemReader& files_;
  OpenFiles& openFiles_;
  DriveInsides& insides_;

  PathBytes root_;
  Result<DriveInsides::Uncovered> uncovered_ = fail(Errc::notPermitted, "uncover");
  absl::flat_hash_map<std::uint64_t, FolderPtr> folders_;
  std::uint64_t nextHandle_ = 1;
  bool begun_ = false;
  bool ended_ = false;
};

}  // namespace zt::helper
