// SPDX-License-Identifier: GPL-3.0-or-later
#include "helper/server.h"

#include <algorithm>
#include <numeric>

namespace zt::helper {

namespace {

bool isKnownType(const std::string& type) {
  static constexpr std::string_view known[] = {"xfs", "btrfs", "ext2", "ext3", "ext4", "vfat", "tmpfs"};
  return std::find(std::begin(known), std::end(known), type) != std::end(known);
}

}  // namespace

Server::Server(FileSystemReader& files, OpenFiles& openFiles, DriveInsides& insides, Send send)
    : Conversation(std::move(send)), files_(files), openFiles_(openFiles), insides_(insides) {}

Server::Answer Server::answer(const std::string& method, const Json& params) {
  using Method = Answer (Server::*)(const Json&);
  static const std::pair<std::string_view, Method> methods[] = {{"open", &Server::openIn},
                                                                {"stat", &Server::stat},
                                                                {"list", &Server::list},
                                                                {"close", &Server::close},
                                                                {"usage", &Server::usage},
                                                                {"uncover", &Server::uncover},
                                                                {"overhead", &Server::overhead},
                                                                {"open_files", &Server::listOpenFiles},
                                                                {"tree_of", &Server::treeOf},
                                                                {"stored_sizes", &Server::storedSizes},
                                                                {"end", &Server::end}};
  if (ended_) return refuse(ended, "this conversation has ended");
  if (method == "begin") return begin(params);
  const auto known =
      std::find_if(std::begin(methods), std::end(methods), [&](const auto& m) { return m.first == method; });
  if (known == std::end(methods)) return refuse(noSuchMethod, "no such request");
  if (!begun_) return refuse(notBegun, "begin comes first");
  return (this->*known->second)(params);
}

Server::Answer Server::begin(const Json& params) {
  if (begun_) return refuse(invalidRequest, "there is a client already");
  if (params.value("version", Json()) != version) return Json{{"version", version}};
  const auto opened = openRoot(files_, params, root_);
  if (!opened) return tl::unexpected(opened.error());
  if (auto may = mayBegin(params, root_); !may) return may;
  begun_ = true;
  const auto stat = files_.stat(**opened, {});
  if (!stat) return refuse(stat.error());
  // What needs more rights than are kept is done now.
  uncovered_ = insides_.uncovered(root_);
  FolderPtr read = *opened;
  bool quiet = false;
  if (quietly)
    if (auto copy = quietly(root_)) {
      const auto copied = files_.stat(**copy, {});
      quiet = copied && copied->inode == stat->inode && copied->device == stat->device &&
              (*copy)->keepsAccessTime();
      if (quiet) read = std::move(*copy);
    }
  if (onBegin && !onBegin()) {
    ended_ = true;
    return refuse(ended, "rights could not be given up");
  }
  auto lent = lend({std::move(read), {}});
  if (lent) (*lent)["version"] = version, (*lent)["keeps_access_times"] = quiet;
  return lent;
}

const Server::Open* Server::open(const Json& params, const char* key) const {
  const auto at = params.find(key);
  if (at == params.end() || !at->is_number_unsigned()) return nullptr;
  const auto found = folders_.find(at->get<std::uint64_t>());
  return found == folders_.end() ? nullptr : &found->second;
}

const Server::Open* Server::top() const {
  const auto first = folders_.find(1);
  return first == folders_.end() ? nullptr : &first->second;
}

const FolderPtr* Server::folder(const Json& params) const {
  const Open* at = open(params, "at");
  return at == nullptr ? nullptr : &at->folder;
}

Server::Answer Server::lend(Open folder) {
  if (folders_.size() >= mostHandles) return refuse(Error{Errc::tooManyOpen, "open", {}, 0, {}});
  const std::uint64_t handle = nextHandle_++;
  folders_.emplace(handle, std::move(folder));
  return Json{{"handle", handle}};
}

Result<Server::Open> Server::reach(const Open& at, const PathBytes& path) {
  auto opened = files_.openBeneath(*at.folder, path);
  if (!opened) return tl::unexpected(opened.error());
  return Open{std::move(*opened), joinPath(at.path, path)};
}

Server::Answer Server::openIn(const Json& params) {
  const Open* at = open(params, "at");
  const auto path = textIn(params, "path", 1 << 20);
  if (at == nullptr || !path) return refuse(invalidParams, "at and path");
  auto opened = reach(*at, *path);
  if (!opened) return refuse(opened.error());
  return lend(std::move(*opened));
}

Server::Answer Server::stat(const Json& params) {
  const FolderPtr* at = folder(params);
  const auto name = textIn(params, "name", 255);
  if (at == nullptr || !name) return refuse(invalidParams, "at and name");
  const auto stat = files_.stat(**at, *name);
  if (!stat) return refuse(stat.error());
  return toJson(*stat);
}

Server::Answer Server::list(const Json& params) {
  const FolderPtr* at = folder(params);
  if (at == nullptr) return refuse(invalidParams, "at");
  class Teller final : public ScanSink {
  public:
    explicit Teller(Server& server) : server_(server) {}
    bool take(std::span<const ScannedEntry> entries) override {
      for (std::size_t i = 0; i < entries.size(); i += entriesAMessage) {
        Json part = Json::array();
        for (const auto& e : entries.subspan(i, std::min(entriesAMessage, entries.size() - i)))
          part.push_back(Json::array({escapePath(e.name), e.error, toJson(e.stat)}));
        if (!server_.tell(std::move(part))) return false;
      }
      return true;
    }

  private:
    Server& server_;
  } teller(*this);
  if (const auto listed = files_.scan(**at, teller); !listed) return refuse(listed.error());
  return Json(true);
}

Server::Answer Server::close(const Json& params) {
  const auto at = params.find("at");
  if (at == params.end() || !at->is_number_unsigned()) return refuse(invalidParams, "at");
  return Json(folders_.erase(at->get<std::uint64_t>()) > 0);
}

Server::Answer Server::usage(const Json& params) {
  const FolderPtr* at = folder(params);
  if (at == nullptr) return refuse(invalidParams, "at");
  const auto usage = files_.usage(**at);
  if (!usage) return refuse(usage.error());
  return toJson(*usage);
}

Server::Answer Server::uncover(const Json&) {
  if (!uncovered_) return refuse(uncovered_.error());
  return lend({uncovered_->folder, {}});
}

Server::Answer Server::listOpenFiles(const Json&) {
  const auto open = openFiles_.list();
  if (!open) return refuse(open.error());
  for (std::size_t i = 0; i < open->files.size(); i += entriesAMessage) {
    Json part = Json::array();
    for (std::size_t k = i; k < std::min(i + entriesAMessage, open->files.size()); ++k)
      part.push_back(toJson(open->files[k]));
    if (!tell(std::move(part))) break;
  }
  return Json{{"complete", open->complete}};
}

Server::Answer Server::overhead(const Json& params) {
  const auto type = textIn(params, "fs_type", 32);
  if (!type || !isKnownType(*type)) return refuse(invalidParams, "fs_type");
  return toJson(insides_.overhead(*type, root_));
}

Server::Answer Server::storedSizes(const Json& params) {
  const auto type = textIn(params, "fs_type", 32);
  if (!type || !isKnownType(*type)) return refuse(invalidParams, "fs_type");
  const auto sizes = insides_.storedSizes(*type, root_, {});
  if (!sizes) return refuse(sizes.error());
  tellRows("trees", sizes->trees, [](const StoredSizes::Tree& t) { return toJson(t); });
  std::vector<NumberSets::Id> sets(sizes->sets.size());
  std::iota(sets.begin(), sets.end(), NumberSets::none);
  tellRows("sets", sets, [&](NumberSets::Id id) {
    Json runs = Json::array();
    for (const auto& run : sizes->sets.runs(id)) runs.insert(runs.end(), {run.from, run.to});
    return runs;
  });
  tellRows("files", sizes->files, [](const auto& f) { return Json::array({f.tree, f.inode, f.stored}); });
  tellRows("extents", sizes->extents, [](const auto& e) { return Json::array({e.bytes, e.holders}); });
  tellRows("reaches", sizes->reaches, [](const auto& r) { return Json::array({r.tree, r.inode, r.extent}); });
  tellRows("held", sizes->held, [](const auto& x) { return Json::array({x.holders, x.bytes, x.records}); });
  return Json::array({sizes->compressed, sizes->inlined, sizes->pinned});
}

Server::Answer Server::treeOf(const Json& params) {
  const FolderPtr* at = folder(params);
  if (at == nullptr) return refuse(invalidParams, "at");
  const auto tree = insides_.treeOf(**at);
  if (!tree) return refuse(tree.error());
  return Json(*tree);
}

Server::Answer Server::end(const Json&) {
  ended_ = true;
  folders_.clear();
  return Json(true);
}

}  // namespace zt::helper
