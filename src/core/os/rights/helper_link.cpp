// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/rights/helper_link.h"

#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>

#include "core/os/rights/helper_protocol.h"

extern char** environ;

namespace zt {

HelperLink::~HelperLink() {
  ::close(in_);  // the helper ends when its input does
  ::close(out_);
  // One that hangs in the kernel cannot be waited for; it ends by itself once it reads the end of its input.
  for (int tries = 0; tries < 50 && ::waitpid(child_, nullptr, WNOHANG) == 0; ++tries) ::usleep(10'000);
}

std::optional<HelperLink::Json> HelperLink::nextFor(std::int64_t id) {
  for (;;) {
    const auto mine =
        std::find_if(waiting_.begin(), waiting_.end(), [&](const auto& w) { return w.id == id; });
    if (!mine->came.empty()) {
      Json next = std::move(mine->came.front());
      mine->came.pop_front();
      return next;
    }
    if (mine->answered) return std::nullopt;
    const auto text = readLine();
    if (!text) return std::nullopt;
    Json message = Json::parse(*text, nullptr, false);
    const auto whose =
        std::find_if(waiting_.begin(), waiting_.end(), [](const auto& w) { return !w.answered; });
    whose->answered = !message.is_object() || message.value("method", Json()) != "part";
    whose->came.push_back(std::move(message));
  }
}

Result<HelperLink::Json> HelperLink::call(const char* method, Json params, std::string_view path,
                                          const Batch& batch) {
  const std::scoped_lock lock(mutex_);
  const auto id = ++lastId_;
  const std::string line =
      Json{{"jsonrpc", "2.0"}, {"id", id}, {"method", method}, {"params", std::move(params)}}.dump() + "\n";
  if (!send(line)) return fail(Errc::io, method, PathBytes(path), "helper");
  struct Turn {
    explicit Turn(HelperLink& link, std::int64_t id) : link_(link) { link_.waiting_.push_back({id, {}}); }
    ~Turn() { link_.waiting_.pop_back(); }
    HelperLink& link_;
  } turn(*this, id);
  for (;;) {
    const auto reply = nextFor(id);
    if (!reply) return fail(Errc::notPermitted, method, PathBytes(path), "helper");
    if (!reply->is_object()) return fail(Errc::badInput, method, PathBytes(path), "helper");
    if (reply->value("method", Json()) == "part") {
      if (!batch || !batch(reply->value("params", Json())))
        return fail(Errc::badInput, method, PathBytes(path), "helper");
      continue;
    }
    if (reply->value("id", Json()) != id) return fail(Errc::badInput, method, PathBytes(path), "helper");
    if (reply->contains("error")) return tl::unexpected(helper::errorFrom((*reply)["error"], method, path));
    return reply->value("result", Json());
  }
}

Result<HelperLink::Json> HelperLink::begin(Json params, std::string_view root) {
  params["version"] = helper::version;
  auto reply = call("begin", std::move(params), root);
  if (!reply) return reply;
  if (!reply->is_object()) return fail(Errc::badInput, "begin", PathBytes(root), "helper");
  if (reply->value("version", Json()) != helper::version)
    return fail(Errc::tooNew, "helper", PathBytes(root));
  return reply;
}

void HelperLink::tell(const char* method, Json params) {
  const std::scoped_lock lock(mutex_);
  (void)send(Json{{"jsonrpc", "2.0"}, {"method", method}, {"params", std::move(params)}}.dump() + "\n");
}

bool HelperLink::send(std::string_view text) {
  while (!text.empty()) {
    const ssize_t sent = ::write(in_, text.data(), text.size());
    if (sent < 0 && errno == EINTR) continue;
    if (sent <= 0) return false;
    text.remove_prefix(static_cast<std::size_t>(sent));
  }
  return true;
}

std::optional<std::string> HelperLink::readLine() {
  for (;;) {
    if (const auto end = buffer_.find('\n', searched_); end != std::string::npos) {
      std::string line = buffer_.substr(0, end);
      buffer_.erase(0, end + 1);
      searched_ = 0;
      return line;
    }
    searched_ = buffer_.size();
    if (buffer_.size() > helper::mostResponseBytes) return std::nullopt;
    char block[65536];
    const ssize_t got = ::read(out_, block, sizeof block);
    if (got < 0 && errno == EINTR) continue;
    if (got <= 0) return std::nullopt;
    buffer_.append(block, static_cast<std::size_t>(got));
  }
}

Result<HelperLinkPtr> launchHelper(const std::vector<std::string>& command) {
  if (command.empty()) return fail(Errc::unsupported, "helper");
  // A helper that goes away must not take us with it.
  struct sigaction ignore {};
  ignore.sa_handler = SIG_IGN;
  ::sigaction(SIGPIPE, &ignore, nullptr);
  int in[2];
  int out[2];
  if (::pipe2(in, O_CLOEXEC) != 0) return failErrno("helper", command[0], errno);
  if (::pipe2(out, O_CLOEXEC) != 0) {
    const int err = errno;
    ::close(in[0]), ::close(in[1]);
    return failErrno("helper", command[0], err);
  }
  std::vector<char*> argv;
  for (const auto& word : command) argv.push_back(const_cast<char*>(word.c_str()));
  argv.push_back(nullptr);
  posix_spawn_file_actions_t actions;
  ::posix_spawn_file_actions_init(&actions);
  ::posix_spawn_file_actions_adddup2(&actions, in[0], 0);
  ::posix_spawn_file_actions_adddup2(&actions, out[1], 1);
  pid_t child = 0;
  const int err = ::posix_spawnp(&child, argv[0], &actions, nullptr, argv.data(), environ);
  ::posix_spawn_file_actions_destroy(&actions);
  ::close(in[0]), ::close(out[1]);
  if (err != 0) {
    ::close(in[1]), ::close(out[0]);
    return fail(Errc::unsupported, "helper", command[0]);
  }
  return std::make_shared<HelperLink>(child, in[1], out[0]);
}

}  // namespace zt
