// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/rights/helper_protocol.h"

namespace zt::helper {

/// One client's conversation, a message a line: takes requests apart, hands each to `answer`, and sends what
/// that gives. One thread.
class Conversation {
public:
  /// Takes a line without its end; gives false to end the conversation.
  using Send = std::function<bool(const std::string& line)>;
  explicit Conversation(Send send) : send_(std::move(send)) {}
  virtual ~Conversation() = default;
  Conversation(const Conversation&) = delete;
  Conversation& operator=(const Conversation&) = delete;

  /// Answers one line of input. False when the client cannot be spoken to any more.
  bool handle(std::string_view line);
  /// Says that a line was too long, which ends the conversation.
  void refuseLength();
  /// Called once, when the root is open, before anything in it is read.
  std::function<bool()> onBegin;

protected:
  struct Refusal {
    int code = refused;
    std::string message;
    std::optional<Error> error;
  };
  using Answer = tl::expected<Json, Refusal>;
  virtual Answer answer(const std::string& method, const Json& params) = 0;

  static tl::unexpected<Refusal> refuse(int code, std::string message);
  static tl::unexpected<Refusal> refuse(const Error& error);
  /// A text of the parameters that may be escaped; nothing if it is none or too long.
  static std::optional<std::string> textIn(const Json& params, const char* key, std::size_t most);
  /// The root that a client names, opened down from the top in one go, so that no link on the way can lead
  /// elsewhere.
  static tl::expected<FolderPtr, Refusal> openRoot(FileSystemReader& files, const Json& params,
                                                   PathBytes& root);
  bool tell(Json part);
  template <class Row, class ToJson>
  void tellRows(const char* key, const std::vector<Row>& rows, ToJson toJson) {
    for (std::size_t i = 0; i < rows.size(); i += entriesAMessage) {
      Json part = Json::array();
      for (std::size_t k = i; k < std::min(i + entriesAMessage, rows.size()); ++k)
        part.push_back(toJson(rows[k]));
      if (!tell(Json{{key, std::move(part)}})) return;
    }
  }

private:
  Send send_;
  bool reachable_ = true;
};

}  // namespace zt::helper
