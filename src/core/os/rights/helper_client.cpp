// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/rights/helper_client.h"

#include <sys/stat.h>
#include <unistd.h>

#include <cstdlib>
#include <iterator>
#include <sstream>

#include "core/os/linux/linux_drive_insides.h"
#include "core/os/paths.h"
#include "core/os/rights/fallback_file_system.h"
#include "core/os/rights/helper_link.h"
#include "core/os/rights/helper_protocol.h"
#include "core/os/rights/helper_snapshots.h"

namespace zt {

namespace {

using helper::Json;

class HelperFolder final : public Folder {
public:
  HelperFolder(HelperLinkPtr link, std::uint64_t handle, bool quiet)
      : link_(std::move(link)), handle_(handle), quiet_(quiet) {}
  bool keepsAccessTime() const override { return quiet_; }
  ~HelperFolder() override { link_->tell("close", {{"at", handle_}}); }
  std::uint64_t handle() const { return handle_; }

private:
  HelperLinkPtr link_;
  std::uint64_t handle_;
  bool quiet_;
};

std::uint64_t handleOf(const Folder& folder) {
  return static_cast<const HelperFolder&>(folder).handle();
}

Error garbled(std::string_view operation) {
  return {Errc::badInput, operation, {}, 0, "helper"};
}

/// `quiet`: nothing that is listed there sets an access time.
Result<FolderPtr> folderFrom(const HelperLinkPtr& link, const Result<Json>& reply, bool quiet) {
  if (!reply) return tl::unexpected(reply.error());
  const Json handle = reply->is_object() ? reply->value("handle", Json()) : Json();
  if (!handle.is_number_unsigned()) return tl::unexpected(garbled("open"));
  return FolderPtr(std::make_shared<HelperFolder>(link, handle.get<std::uint64_t>(), quiet));
}

class HelperFiles final : public FileSystemReader {
public:
  explicit HelperFiles(HelperLinkPtr link) : link_(std::move(link)) {}

  Result<FolderPtr> openRoot(const PathBytes& path) override { return fail(Errc::unsupported, "open", path); }
  Result<FolderPtr> openFolder(const Folder& at, std::string_view name) override {
    return openBeneath(at, name);
  }
  Result<FolderPtr> openBeneath(const Folder& root, std::string_view relative) override {
    return folderFrom(link_,
                      link_->call("open", {{"at", handleOf(root)}, {"path", escapePath(relative)}}, relative),
                      root.keepsAccessTime());
  }
  Result<EntryStat> stat(const Folder& at, std::string_view name) override {
    const auto reply = link_->call("stat", {{"at", handleOf(at)}, {"name", escapePath(name)}}, name);
    if (!reply) return tl::unexpected(reply.error());
    const auto stat = helper::statFrom(*reply);
    return stat ? Result<EntryStat>(*stat) : tl::unexpected(garbled("stat"));
  }
  Result<void> scan(const Folder& at, ScanSink& sink) override {
    bool wanted = true;
    const auto reply = link_->call("list", {{"at", handleOf(at)}}, {},
                                   [&](const Json& params) { return take(params, sink, wanted); });
    return reply ? Result<void>{} : Result<void>(tl::unexpected(reply.error()));
  }
  Result<std::string> readFile(const Folder&, std::string_view name, std::size_t) override {
    return fail(Errc::notPermitted, "read", PathBytes(name));  // names and figures only, never content
  }
  Result<FileHead> readHead(const Folder&, std::string_view name, std::size_t) override {
    return fail(Errc::notPermitted, "read", PathBytes(name));
  }
  Result<ExtentFacts> extents(const Folder&, std::string_view name) override {
    return fail(Errc::unsupported, "extents", PathBytes(name));
  }
  Result<SpaceUsage> usage(const Folder& at) override {
    const auto reply = link_->call("usage", {{"at", handleOf(at)}}, {});
    if (!reply) return tl::unexpected(reply.error());
    const auto usage = helper::usageFrom(*reply);
    return usage ? Result<SpaceUsage>(*usage) : tl::unexpected(garbled("usage"));
  }

private:
  static bool take(const Json& params, ScanSink& sink, bool& wanted) {
    if (!params.is_array() || params.size() > helper::entriesAMessage) return false;
    std::vector<std::string> names;
    std::vector<ScannedEntry> batch;
    names.reserve(params.size());
    for (const Json& e : params) {
      if (!e.is_array() || e.size() != 3 || !e[0].is_string() || !e[1].is_number_integer()) return false;
      const auto stat = helper::statFrom(e[2]);
      names.push_back(unescapePath(e[0].get<std::string>()));
      const bool plain = !names.back().empty() && names.back().size() < 256 &&
                         names.back().find('/') == std::string::npos && names.back() != "." &&
                         names.back() != "..";
      if (!stat || !plain) return false;
      batch.push_back({names.back(), *stat, e[1].get<int>()});
    }
    wanted = wanted && sink.take(batch);
    return true;
  }

  HelperLinkPtr link_;
};

class HelperOpenFiles final : public OpenFiles {
public:
  explicit HelperOpenFiles(HelperLinkPtr link) : link_(std::move(link)) {}
  Result<Listing> list() override {
    Listing listing;
    const auto reply = link_->call("open_files", Json::object(), {}, [&](const Json& params) {
      if (!params.is_array()) return false;
      for (const Json& j : params) {
        const auto file = helper::openFileFrom(j);
        if (!file) return false;
        listing.files.push_back(*file);
      }
      return true;
    });
    if (!reply) return tl::unexpected(reply.error());
    listing.complete = reply->is_object() && reply->value("complete", Json()) == true;
    return listing;
  }

private:
  HelperLinkPtr link_;
};

class HelperInsides final : public DriveInsides {
public:
  HelperInsides(HelperLinkPtr link, std::shared_ptr<FileSystemReader> files)
      : link_(std::move(link)), files_(std::move(files)) {}

  Overhead overhead(std::string_view fsType, const PathBytes&) override {
    const auto reply = link_->call("overhead", {{"fs_type", std::string(fsType)}}, {});
    return reply ? helper::overheadFrom(*reply).value_or(Overhead{}) : Overhead{};
  }

  Result<StoredSizes> storedSizes(std::string_view fsType, const PathBytes&,
                                  const std::stop_token& stop) override {
    helper::StoredReader in;
    const auto reply = link_->call("stored_sizes", {{"fs_type", std::string(fsType)}}, {},
                                   [&](const Json& part) { return !stop.stop_requested() && in.take(part); });
    if (!reply) return tl::unexpected(reply.error());
    if (!in.holdTogether()) return tl::unexpected(garbled("extents"));
    StoredSizes sizes = std::move(in.sizes);
    const auto sums = helper::numbersFrom(Json::array({*reply}), 3);
    if (!sums) return tl::unexpected(garbled("extents"));
    sizes.compressed = (*sums)[0][0];
    sizes.inlined = (*sums)[0][1];
    sizes.pinned = (*sums)[0][2];
    return sizes;
  }

  Result<std::uint64_t> treeOf(const Folder& folder) override {
    // Folders that the program opened itself can be asked directly; that needs no rights.
    const auto* mine = dynamic_cast<const HelperFolder*>(&lender(folder));
    if (mine == nullptr) return direct_.treeOf(folder);
    const auto reply = link_->call("tree_of", {{"at", mine->handle()}}, {});
    if (!reply) return tl::unexpected(reply.error());
    return reply->is_number_unsigned() ? Result<std::uint64_t>(reply->get<std::uint64_t>())
                                       : tl::unexpected(garbled("subvolume"));
  }

  Result<Uncovered> uncovered(const PathBytes&) override {
    auto folder = folderFrom(link_, link_->call("uncover", Json::object(), {}), true);
    if (!folder) return tl::unexpected(folder.error());
    return Uncovered{files_, std::move(*folder)};
  }

private:
  HelperLinkPtr link_;
  std::shared_ptr<FileSystemReader> files_;
  LinuxDriveInsides direct_;
};

class Access final : public PrivilegedAccess {
public:
  Access(HelperLinkPtr link, FolderPtr root)
      : files_(std::make_shared<HelperFiles>(link)),
        root_(std::move(root)),
        openFiles_(link),
        insides_(link, files_) {}
  FileSystemReader& files() override { return *files_; }
  FolderPtr root() override { return root_; }
  OpenFiles& openFiles() override { return openFiles_; }
  DriveInsides& insides() override { return insides_; }

private:
  std::shared_ptr<HelperFiles> files_;
  FolderPtr root_;
  HelperOpenFiles openFiles_;
  HelperInsides insides_;
};

}  // namespace

bool HelperClient::worthAsking() {
  return !command_.empty() && ::geteuid() != 0;
}

Result<std::shared_ptr<HelperLink>> HelperClient::launch(const char* purpose) const {
  std::vector<std::string> command = command_;
  if (!command.empty()) command.emplace_back(purpose);
  return launchHelper(command);
}

Result<std::unique_ptr<PrivilegedAccess>> HelperClient::start(const PathBytes& root) {
  const auto link = launch("read");
  if (!link) return tl::unexpected(link.error());
  const auto reply = (*link)->begin({{"root", escapePath(root)}}, root);
  const bool quiet = reply && reply->value("keeps_access_times", Json()) == true;
  auto folder = folderFrom(*link, reply, quiet);
  if (!folder) return tl::unexpected(folder.error());
  return std::unique_ptr<PrivilegedAccess>(std::make_unique<Access>(*link, std::move(*folder)));
}

Result<std::shared_ptr<Snapshots>> HelperClient::startDropping(const PathBytes& mountTarget,
                                                               const DropOrder& order) {
  const auto link = launch("drop");
  if (!link) return tl::unexpected(link.error());
  const auto reply =
      (*link)->begin({{"root", escapePath(mountTarget)}, {"order", helper::toJson(order)}}, mountTarget);
  if (!reply) return tl::unexpected(reply.error());
  return std::shared_ptr<Snapshots>(std::make_shared<HelperSnapshots>(*link));
}

std::uint32_t HelperClient::self() {
  return ::geteuid();
}

namespace {
class Changes final : public PrivilegedChanges {
public:
  Changes(HelperLinkPtr link, FolderPtr root) : link_(link), access_(std::move(link), std::move(root)) {}
  FileSystemReader& files() override { return access_.files(); }
  FolderPtr root() override { return access_.root(); }
  OpenFiles& openFiles() override { return access_.openFiles(); }
  DriveInsides& insides() override { return access_.insides(); }

  Result<void> makeFolder(const Folder& at, std::string_view name) override {
    return ask("make_folder", {{"at", handleOf(at)}, {"name", escapePath(name)}}, name);
  }
  Result<void> move(const Folder& from, std::string_view name, const Folder& to,
                    std::string_view newName) override {
    return ask("move",
               {{"at", handleOf(from)},
                {"name", escapePath(name)},
                {"to", handleOf(to)},
                {"new_name", escapePath(newName)}},
               name);
  }
  Result<void> remove(const Folder& at, std::string_view name, bool folder) override {
    return ask("remove", {{"at", handleOf(at)}, {"name", escapePath(name)}, {"folder", folder}}, name);
  }
  Result<void> writeDown(const Folder& at, std::string_view name, std::string_view bytes) override {
    // In whole lines, so that no message is too long.
    constexpr std::size_t most = helper::mostRequestBytes / 8;
    while (!bytes.empty()) {
      std::size_t part = bytes.size() <= most ? bytes.size() : bytes.rfind('\n', most) + 1;
      if (part == 0) part = bytes.find('\n') + 1;
      if (part == 0) part = bytes.size();
      auto done = ask(
          "write_down",
          {{"at", handleOf(at)}, {"name", escapePath(name)}, {"bytes", escapePath(bytes.substr(0, part))}},
          name);
      if (!done) return done;
      bytes.remove_prefix(part);
    }
    return {};
  }
  Result<void> sync(const Folder& at) override { return ask("sync", {{"at", handleOf(at)}}, {}); }
  Result<std::string> carryOut(const std::string& request, const std::function<bool(Bytes)>& went) override {
    bool stopped = false;
    const auto reply = link_->call("step", Json::parse(request, nullptr, false), {}, [&](const Json& bytes) {
      if (!bytes.is_number_unsigned()) return false;
      if (stopped || !went || went(bytes.get<Bytes>())) return true;
      stopped = true;
      link_->tell("stop", Json::object());
      return true;
    });
    if (!reply) return tl::unexpected(reply.error());
    return reply->dump();
  }

private:
  Result<void> ask(const char* method, Json params, std::string_view path) {
    const auto reply = link_->call(method, std::move(params), path);
    return reply ? Result<void>{} : Result<void>(tl::unexpected(reply.error()));
  }
  HelperLinkPtr link_;
  Access access_;
};
}  // namespace

/// How many things of an order one message has room for: a byte of a path may take four.
static std::size_t thingsIn(const RightsOrder& order, std::size_t from) {
  std::size_t count = 0;
  for (std::size_t bytes = 0; from + count < order.things.size() && count < helper::thingsAMessage; ++count) {
    const RightsThing& thing = order.things[from + count];
    bytes += thing.path.size() + thing.told.size() + 64;
    if (count > 0 && bytes > helper::mostRequestBytes / 6) break;
  }
  return count;
}

Result<std::shared_ptr<PrivilegedChanges>> HelperClient::startChanging(const PathBytes& root,
                                                                       const RightsOrder& order) {
  const auto link = launch("change");
  if (!link) return tl::unexpected(link.error());
  Json head{{"consent", order.consent}, {"digest", order.digest()}};
  if (order.facts) head["steps"] = helper::factsOf(*order.facts);
  auto top = folderFrom(*link, (*link)->begin({{"root", escapePath(root)}, {"order", head}}, root), false);
  if (!top) return tl::unexpected(top.error());
  for (std::size_t from = 0; from < order.things.size();) {
    const std::size_t count = thingsIn(order, from);
    const auto taken = (*link)->call("order", {{"things", helper::thingsOf(order, from, count)}}, root);
    if (!taken) return tl::unexpected(taken.error());
    from += count;
  }
  for (std::size_t from = 0; order.facts && from < order.facts->entries.size();
       from += helper::factsAMessage) {
    const auto known = (*link)->call(
        "know", {{"entries", helper::entriesOf(*order.facts, from, helper::factsAMessage)}}, root);
    if (!known) return tl::unexpected(known.error());
  }
  return std::shared_ptr<PrivilegedChanges>(std::make_shared<Changes>(*link, std::move(*top)));
}

namespace {
class HelperSession final : public LiveSession {
public:
  explicit HelperSession(HelperLinkPtr link) : link_(std::move(link)) {}
  Result<std::string> carryOut(const std::string& phase, const std::string& record,
                               const std::function<void()>& alive) override {
    const auto reply = link_->call(
        "step", {{"phase", phase}, {"record", Json::parse(record, nullptr, false)}}, {}, [&](const Json&) {
          if (alive) alive();
          return true;
        });
    if (!reply) return tl::unexpected(reply.error());
    return reply->dump();
  }

private:
  HelperLinkPtr link_;
};
}  // namespace

Result<std::shared_ptr<LiveSession>> HelperClient::startLive(const PathBytes& root,
                                                             const RightsOrder& order) {
  const auto link = launch("live");
  if (!link) return tl::unexpected(link.error());
  const auto reply = (*link)->begin({{"root", escapePath(root)}, {"order", helper::toJson(order)}}, root);
  if (!reply) return tl::unexpected(reply.error());
  return std::shared_ptr<LiveSession>(std::make_shared<HelperSession>(*link));
}

namespace {
/// Whether nobody but root and this user could put another program in this place: no folder on the way
/// belongs to, or may be written by, anybody else.
bool nobodyElseWrites(std::string path) {
  for (;;) {
    struct stat st {};
    if (::lstat(path.c_str(), &st) != 0 || S_ISLNK(st.st_mode)) return false;
    if (st.st_uid != 0 && st.st_uid != ::getuid()) return false;
    if ((st.st_mode & (S_IWGRP | S_IWOTH)) != 0) return false;
    if (path == "/") return true;
    path = std::string(parentPath(path));
    if (path.empty()) path = "/";
  }
}
}  // namespace

std::vector<std::string> helperCommand() {
  if (const char* given = std::getenv("ZTALLY_HELPER")) {
    std::istringstream words(given);
    return {std::istream_iterator<std::string>(words), {}};
  }
  const auto self = openedProgram();
  for (const std::string& path :
       {std::string(ZT_HELPER_PATH),
        self ? joinPath(parentPath(parentPath(*self)), "helper/ztally-helper") : ""})
    if (!path.empty() && exists(path) && nobodyElseWrites(path)) return {"pkexec", path};
  return {};
}

}  // namespace zt
