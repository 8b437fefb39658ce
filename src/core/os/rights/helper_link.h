// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace zt {

/// A helper that runs as a child process, and the two pipes to it. One call at a time; another thread that
/// comes meanwhile waits, and whoever takes a part of a list may ask something else before it takes the next.
/// The helper ends with it.
class HelperLink {
public:
  using Json = nlohmann::json;
  HelperLink(int child, int in, int out) : child_(child), in_(in), out_(out) {}
  ~HelperLink();
  HelperLink(const HelperLink&) = delete;
  HelperLink& operator=(const HelperLink&) = delete;

  using Batch = std::function<bool(const Json& params)>;

  /// Sends a request and gives its result. What the helper tells before it (parts of a list) goes to `batch`.
  Result<Json> call(const char* method, Json params, std::string_view path, const Batch& batch = {});
  /// The first request, with our version. Gives its result, an object; fails with tooNew for another one.
  Result<Json> begin(Json params, std::string_view root);
  /// Sends something that has no answer.
  void tell(const char* method, Json params);

private:
  bool send(std::string_view text);
  std::optional<std::string> readLine();
  /// The next message to a call: the helper answers in turn, so that what was asked earlier is answered
  /// earlier.
  std::optional<Json> nextFor(std::int64_t id);

  /// A call that is not answered yet, and what came for it while a later one was waited for.
  struct Waiting {
    std::int64_t id;
    std::deque<Json> came;
    bool answered = false;
  };

  std::recursive_mutex mutex_;
  std::vector<Waiting> waiting_;  ///< all of the thread that has the lock, the earliest first
  int child_;
  int in_;
  int out_;
  std::int64_t lastId_ = 0;
  std::string buffer_;
  std::size_t searched_ = 0;
};
using HelperLinkPtr = std::shared_ptr<HelperLink>;

/// Starts a program with both pipes; its messages to people go where ours go. Fails with unsupported where
/// there is none.
Result<HelperLinkPtr> launchHelper(const std::vector<std::string>& command);

}  // namespace zt
