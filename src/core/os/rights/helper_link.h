// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <mutex>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace zt {

/// A helper that runs as a child process, and the two pipes to it. One call at a time; whoever comes
/// meanwhile waits. The helper ends with it.
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

  std::mutex mutex_;
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
