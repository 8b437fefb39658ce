// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include "core/os/drive_insides.h"
#include "core/os/open_files.h"
#include "core/os/rights/helper_protocol.h"

namespace zt::helper {

/// Answers the closed list of requests, all of them reading, for one client and one root. Checks each request
/// itself: nothing outside the root, no symbolic link, no other mount, no names of more than one part but in
/// `open`. Keeps no state beyond the folders that the client has open. One thread.
class Server {
public:
  /// Takes a line without its end; gives false to end the conversation.
  using Send = std::function<bool(const std::string& line)>;
  Server(FileSystemReader& files, OpenFiles& openFiles, DriveInsides& insides, Send send);

  /// Answers one line of input. False when the client cannot be spoken to any more.
  bool handle(std::string_view line);
  /// Says that a line was too long, which ends the conversation.
  void refuseLength();
  /// Called once, when the root is open, before anything in it is read.
  std::function<bool()> onBegin;
  /// Opens the root so that reading leaves no trace; where it fails, the folder itself is read.
  std::function<Result<FolderPtr>(const PathBytes&)> quietly;

private:
  struct Refusal {
    int code = refused;
    std::string message;
    std::optional<Error> error;
  };
  using Answer = tl::expected<Json, Refusal>;

  Answer answer(const std::string& method, const Json& params);
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

  static tl::unexpected<Refusal> refuse(int code, std::string message);
  static tl::unexpected<Refusal> refuse(const Error& error);
  const FolderPtr* folder(const Json& params) const;
  Answer lend(FolderPtr folder);
  bool tell(Json part);
  template <class Row, class ToJson>
  void tellRows(const char* key, const std::vector<Row>& rows, ToJson toJson);

  FileSystemReader& files_;
  OpenFiles& openFiles_;
  DriveInsides& insides_;
  Send send_;
  Json statJson(EntryStat stat) const;

  PathBytes root_;
  std::uint64_t mount_ = 0;        ///< of the root, as everybody else sees it
  std::uint64_t copiedMount_ = 0;  ///< of the copy that is read
  Result<DriveInsides::Uncovered> uncovered_ = fail(Errc::notPermitted, "uncover");
  absl::flat_hash_map<std::uint64_t, FolderPtr> folders_;
  std::uint64_t nextHandle_ = 1;
  bool begun_ = false;
  bool ended_ = false;
  bool reachable_ = true;
};

}  // namespace zt::helper
