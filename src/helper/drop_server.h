// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "helper/conversation.h"

namespace zt::helper {

/// Lets points go for one client: those of the one order that it begins with, on one drive. Reads no folder
/// and no file. Every request is checked here (named in the order) and by the port (`checkDrop`: still what
/// is meant, not in use, not the newest), whatever the client says that it checked. One thread.
class DropServer final : public Conversation {
public:
  /// Gives the port that works in a folder which is open.
  using Open = std::function<std::shared_ptr<Snapshots>(FolderPtr top)>;
  DropServer(FileSystemReader& files, Open open, Send send)
      : Conversation(std::move(send)), files_(files), open_(std::move(open)) {}

private:
  Answer answer(const std::string& method, const Json& params) override;
  Answer begin(const Json& params);
  Answer listPoints();
  Answer drop(const Json& params);
  Answer cleaning();

  FileSystemReader& files_;
  Open open_;
  PathBytes root_;
  DropOrder order_;
  std::shared_ptr<Snapshots> snapshots_;  ///< once it has begun
  bool ended_ = false;
};

}  // namespace zt::helper
