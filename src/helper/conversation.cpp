// SPDX-License-Identifier: GPL-3.0-or-later
#include "helper/conversation.h"

#include <algorithm>

namespace zt::helper {

namespace {

/// An absolute path without empty parts, "." or "..": what is asked for is what is opened.
bool isPlainRoot(const PathBytes& path) {
  if (path.empty() || path.front() != '/' || (path.size() > 1 && path.back() == '/')) return false;
  if (path.find("//") != std::string::npos) return false;
  const auto parts = splitPath(path);
  return std::none_of(parts.begin(), parts.end(), [](auto p) { return p == "." || p == ".."; });
}

}  // namespace

std::optional<std::string> Conversation::textIn(const Json& params, const char* key, std::size_t most) {
  const auto at = params.find(key);
  if (at == params.end() || !at->is_string()) return std::nullopt;
  const auto text = unescapePath(at->get<std::string>());
  if (text.size() > most || text.find('\0') != std::string::npos) return std::nullopt;
  return text;
}

tl::unexpected<Conversation::Refusal> Conversation::refuse(int code, std::string message) {
  return tl::unexpected(Refusal{code, std::move(message), std::nullopt});
}

tl::unexpected<Conversation::Refusal> Conversation::refuse(const Error& error) {
  return tl::unexpected(Refusal{refused, {}, error});
}

void Conversation::refuseLength() {
  (void)send_(Json{{"jsonrpc", "2.0"},
                   {"id", nullptr},
                   {"error", {{"code", tooLong}, {"message", "a request is too long"}}}}
                  .dump());
}

bool Conversation::handle(std::string_view line) {
  // Depth is bounded by the length of a line; the parser keeps its own stack on the heap.
  const Json request = Json::parse(line, nullptr, false);
  Json id;
  Answer result = refuse(parseError, "not JSON");
  bool notification = false;
  if (!request.is_discarded()) {
    result = refuse(invalidRequest, "not a request");
    if (request.is_object() && request.value("jsonrpc", Json()) == "2.0" &&
        request.value("method", Json()).is_string()) {
      notification = !request.contains("id");
      id = request.value("id", Json());
      const Json params = request.value("params", Json::object());
      if (!id.is_null() && !id.is_number_integer() && !id.is_string())
        id = nullptr;
      else if (!params.is_object())
        result = refuse(invalidParams, "params must be an object");
      else
        result = answer(request["method"].get<std::string>(), params);
    }
  }
  if (notification || !reachable_) return reachable_;
  Json reply{{"jsonrpc", "2.0"}, {"id", id}};
  if (result)
    reply["result"] = std::move(*result);
  else if (result.error().error)
    reply["error"] = errorJson(*result.error().error);
  else
    reply["error"] = {{"code", result.error().code}, {"message", result.error().message}};
  return send_(reply.dump(-1, ' ', false, Json::error_handler_t::replace));
}

bool Conversation::tell(Json part) {
  const Json message{{"jsonrpc", "2.0"}, {"method", "part"}, {"params", std::move(part)}};
  reachable_ = reachable_ && send_(message.dump(-1, ' ', false, Json::error_handler_t::replace));
  return reachable_;
}

tl::expected<FolderPtr, Conversation::Refusal> Conversation::openRoot(FileSystemReader& files,
                                                                      const Json& params, PathBytes& root) {
  const auto named = textIn(params, "root", 4095);
  if (!named || !isPlainRoot(*named)) return refuse(invalidParams, "root must be a plain absolute path");
  const auto top = files.openRoot("/");
  if (!top) return refuse(top.error());
  auto opened = files.openNoLinks(**top, named->substr(1));
  if (!opened) return refuse(opened.error());
  root = *named;
  return std::move(*opened);
}

}  // namespace zt::helper
