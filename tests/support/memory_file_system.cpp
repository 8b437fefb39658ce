// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/memory_file_system.h"

#include <algorithm>
#include <cerrno>

namespace zt::test {

namespace {

class MemoryFolder final : public Folder {
public:
  explicit MemoryFolder(std::shared_ptr<MemoryFileSystem::Node> n) : node(std::move(n)) {}
  std::shared_ptr<MemoryFileSystem::Node> node;
};

MemoryFileSystem::Node& nodeOf(const Folder& folder) {
  return *static_cast<const MemoryFolder&>(folder).node;
}

bool plainName(std::string_view name) {
  return name != "." && name != ".." && name.find('/') == std::string_view::npos &&
         name.find('\0') == std::string_view::npos && name.size() < 256;
}

}  // namespace

MemoryFileSystem::MemoryFileSystem() {
  root_ = make(EntryKind::folder);
}

std::shared_ptr<MemoryFileSystem::Node> MemoryFileSystem::make(EntryKind kind) {
  auto node = std::make_shared<Node>();
  node->stat.kind = kind;
  node->stat.inode = nextInode_++;
  node->stat.mode = kind == EntryKind::folder ? 0755 : 0644;
  node->stat.born = ++time_;
  node->stat.modified = node->stat.changed = node->stat.accessed = time_;
  node->stat.occupied = kind == EntryKind::folder ? 4096 : 0;
  return node;
}

void MemoryFileSystem::age(const std::string& path, TimeNs modified) {
  find(path)->stat.modified = modified;
}

void MemoryFileSystem::touch(Node& node) {
  node.stat.modified = node.stat.changed = ++time_;
}

std::shared_ptr<MemoryFileSystem::Node> MemoryFileSystem::find(const std::string& path) const {
  auto at = root_;
  for (const auto part : splitPath(path)) {
    const auto next = at->children.find(std::string(part));
    if (next == at->children.end()) return nullptr;
    at = next->second;
  }
  return at;
}

std::shared_ptr<MemoryFileSystem::Node> MemoryFileSystem::add(const std::string& path,
                                                              const std::string& content) {
  const bool folder = path.back() == '/';
  auto at = root_;
  const auto parts = splitPath(path);
  for (std::size_t i = 0; i < parts.size(); ++i) {
    auto& child = at->children[std::string(parts[i])];
    if (!child) child = make(i + 1 < parts.size() || folder ? EntryKind::folder : EntryKind::file);
    at = child;
  }
  if (!folder) {
    at->content = content;
    at->stat.length = content.size();
    at->stat.occupied = (content.size() + 4095) / 4096 * 4096;
  }
  return at;
}

void MemoryFileSystem::link(const std::string& from, const std::string& to) {
  if (!parentPath(to).empty()) add(PathBytes(parentPath(to)) + "/");
  const auto node = find(from);
  ++node->stat.links;
  find(std::string(parentPath(to)))->children[std::string(baseName(to))] = node;
}

void MemoryFileSystem::point(const std::string& path, const std::string& target) {
  const auto node = add(path, target);
  node->stat.kind = EntryKind::symlink;
  node->stat.occupied = 0;
}

Result<std::string> MemoryFileSystem::readLink(const Folder& at, std::string_view name) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("read-link", name); !ok) return tl::unexpected(ok.error());
  const auto child = nodeOf(at).children.find(std::string(name));
  if (child == nodeOf(at).children.end()) return failErrno("read", PathBytes(name), ENOENT);
  if (child->second->stat.kind != EntryKind::symlink) return failErrno("read", PathBytes(name), EINVAL);
  return child->second->content;
}

void MemoryFileSystem::failCall(std::size_t number, Errc code) {
  failAt_ = number;
  failWith_ = code;
}

Result<void> MemoryFileSystem::enter(std::string_view call, std::string_view name) {
  calls_.push_back(std::string(call) + " " + std::string(name));
  if (calls_.size() == failAt_) return fail(failWith_, call, PathBytes(name));
  return {};
}

Result<FolderPtr> MemoryFileSystem::openRoot(const PathBytes& path) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("open-root", path); !ok) return tl::unexpected(ok.error());
  const auto node = find(path);
  if (!node) return failErrno("open", path, ENOENT);
  if (node->stat.kind != EntryKind::folder) return failErrno("open", path, ENOTDIR);
  return std::make_shared<MemoryFolder>(node);
}

Result<FolderPtr> MemoryFileSystem::openFolder(const Folder& at, std::string_view name) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("open", name); !ok) return tl::unexpected(ok.error());
  if (!plainName(name)) return fail(Errc::outsideRoot, "open", PathBytes(name));
  const auto child = nodeOf(at).children.find(std::string(name));
  if (child == nodeOf(at).children.end()) return failErrno("open", PathBytes(name), ENOENT);
  if (child->second->stat.kind != EntryKind::folder) return failErrno("open", PathBytes(name), ENOTDIR);
  return std::make_shared<MemoryFolder>(child->second);
}

Result<FolderPtr> MemoryFileSystem::openBeneath(const Folder& root, std::string_view relative) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("open-beneath", relative); !ok) return tl::unexpected(ok.error());
  if (!relative.empty() && relative.front() == '/')
    return fail(Errc::outsideRoot, "open", PathBytes(relative));
  auto at = static_cast<const MemoryFolder&>(root).node;
  for (const auto part : splitPath(relative)) {
    if (!plainName(part)) return fail(Errc::outsideRoot, "open", PathBytes(relative));
    const auto child = at->children.find(std::string(part));
    if (child == at->children.end()) return failErrno("open", PathBytes(relative), ENOENT);
    if (child->second->stat.kind == EntryKind::symlink)
      return fail(Errc::outsideRoot, "open", PathBytes(relative));
    if (child->second->stat.kind != EntryKind::folder) return failErrno("open", PathBytes(relative), ENOTDIR);
    at = child->second;
  }
  return std::make_shared<MemoryFolder>(at);
}

Result<EntryStat> MemoryFileSystem::stat(const Folder& at, std::string_view name) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("stat", name); !ok) return tl::unexpected(ok.error());
  if (name.empty()) return nodeOf(at).stat;
  if (!plainName(name)) return fail(Errc::outsideRoot, "stat", PathBytes(name));
  const auto child = nodeOf(at).children.find(std::string(name));
  if (child == nodeOf(at).children.end()) return failErrno("stat", PathBytes(name), ENOENT);
  return child->second->stat;
}

Result<void> MemoryFileSystem::scan(const Folder& at, ScanSink& sink) {
  std::vector<std::pair<std::string, EntryStat>> copies;
  {
    const std::scoped_lock lock(mutex_);
    if (auto ok = enter("scan", {}); !ok) return ok;
    for (const auto& [name, node] : nodeOf(at).children) copies.emplace_back(name, node->stat);
  }
  std::vector<ScannedEntry> batch;
  for (const auto& [name, stat] : copies) batch.push_back({name, stat, 0});
  sink.folder(nodeOf(at).stat.inode);
  if (!batch.empty()) sink.take(batch);
  return {};
}

Result<std::string> MemoryFileSystem::readFile(const Folder& at, std::string_view name, std::size_t limit) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("read", name); !ok) return tl::unexpected(ok.error());
  if (!plainName(name)) return fail(Errc::outsideRoot, "read", PathBytes(name));
  const auto child = nodeOf(at).children.find(std::string(name));
  if (child == nodeOf(at).children.end()) return failErrno("read", PathBytes(name), ENOENT);
  if (child->second->stat.kind != EntryKind::file) return fail(Errc::notAFile, "read", PathBytes(name));
  if (child->second->content.size() > limit) return fail(Errc::badInput, "read", PathBytes(name));
  return child->second->content;
}

Result<FileHead> MemoryFileSystem::readHead(const Folder& at, std::string_view name, std::size_t count) {
  const auto whole = readFile(at, name, std::size_t{1} << 40);
  if (!whole) return tl::unexpected(whole.error());
  return FileHead{whole->size(), whole->substr(0, count)};
}

Result<std::string> MemoryFileSystem::attribute(const Folder& at, std::string_view name,
                                                const std::string& key) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("attribute", name); !ok) return tl::unexpected(ok.error());
  const auto child = nodeOf(at).children.find(std::string(name));
  if (child == nodeOf(at).children.end()) return failErrno("attribute", PathBytes(name), ENOENT);
  const auto value = child->second->attributes.find(key);
  if (value == child->second->attributes.end()) return fail(Errc::notThere, "attribute", PathBytes(name));
  return value->second;
}

namespace {
class MemoryFile final : public OpenedFile {
public:
  explicit MemoryFile(std::shared_ptr<MemoryFileSystem::Node> node) : node_(std::move(node)) {}
  Result<EntryStat> stat() override { return node_->stat; }
  Result<std::size_t> read(Bytes offset, std::span<char> into) override {
    const std::string& all = node_->content;
    const auto from = static_cast<std::size_t>(std::min<Bytes>(offset, all.size()));
    const std::size_t size = std::min(into.size(), all.size() - from);
    std::copy_n(all.data() + from, size, into.data());
    return size;
  }
  Result<Stretch> nextData(Bytes offset) override {
    return Stretch{offset, std::max<Bytes>(offset, node_->content.size())};
  }

private:
  std::shared_ptr<MemoryFileSystem::Node> node_;
};
}  // namespace

Result<OpenedFilePtr> MemoryFileSystem::openFile(const Folder& at, std::string_view name) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("open-file", name); !ok) return tl::unexpected(ok.error());
  const auto child = nodeOf(at).children.find(std::string(name));
  if (child == nodeOf(at).children.end()) return failErrno("open", PathBytes(name), ENOENT);
  if (child->second->stat.kind != EntryKind::file) return fail(Errc::notAFile, "open", PathBytes(name));
  return OpenedFilePtr(std::make_unique<MemoryFile>(child->second));
}

Result<ExtentFacts> MemoryFileSystem::extents(const Folder&, std::string_view name) {
  return fail(Errc::unsupported, "extents", PathBytes(name));  // as most file systems
}

Result<SpaceUsage> MemoryFileSystem::usage(const Folder&) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("usage", {}); !ok) return tl::unexpected(ok.error());
  std::map<std::uint64_t, Bytes> seen;
  std::vector<const Node*> waiting{root_.get()};
  while (!waiting.empty()) {
    const Node* node = waiting.back();
    waiting.pop_back();
    seen[node->stat.inode] = node->stat.occupied;
    for (const auto& [name, child] : node->children) waiting.push_back(child.get());
  }
  SpaceUsage u;
  if (capacity == 0) return u;  // as file systems without counters do
  u.capacity = u.free = capacity;
  for (const auto& [inode, bytes] : seen) u.free -= bytes;
  u.available = u.free;
  return u;
}

namespace {
Bytes blocksOf(Bytes length) {
  return (length + 4095) / 4096 * 4096;
}

class MemoryMadeFile final : public MadeFile {
public:
  MemoryMadeFile(std::shared_ptr<MemoryFileSystem::Node> node,
                 std::function<Result<void>(std::string_view)> enter)
      : node_(std::move(node)), enter_(std::move(enter)) {}
  Result<EntryStat> stat() override { return node_->stat; }
  Result<void> write(Bytes offset, std::span<const char> bytes) override {
    if (auto ok = enter_("write"); !ok) return ok;
    if (node_->content.size() < offset + bytes.size()) node_->content.resize(offset + bytes.size());
    std::copy(bytes.begin(), bytes.end(), node_->content.begin() + static_cast<std::ptrdiff_t>(offset));
    return grown();
  }
  Result<Bytes> copy(OpenedFile& from, Stretch what) override {
    if (auto ok = enter_("copy"); !ok) return tl::unexpected(ok.error());
    std::string bytes(what.to - what.from, '\0');
    const auto got = from.read(what.from, bytes);
    if (!got) return tl::unexpected(got.error());
    bytes.resize(*got);
    if (auto put = write(what.from, bytes); !put) return tl::unexpected(put.error());
    return *got;
  }
  Result<void> punch(Stretch what) override {
    if (auto ok = enter_("punch"); !ok) return ok;
    for (Bytes at = what.from; at < std::min<Bytes>(what.to, node_->content.size()); ++at)
      node_->content[at] = 0;
    return {};
  }
  Result<void> setLength(Bytes length) override {
    if (auto ok = enter_("length"); !ok) return ok;
    node_->content.resize(length);
    return grown();
  }
  Result<void> sync() override { return enter_("sync-file"); }

private:
  Result<void> grown() {
    node_->stat.length = node_->content.size();
    node_->stat.occupied = blocksOf(node_->stat.length);
    return {};
  }
  std::shared_ptr<MemoryFileSystem::Node> node_;
  std::function<Result<void>(std::string_view)> enter_;
};
}  // namespace

MadeFilePtr MemoryFileSystem::changing(std::shared_ptr<Node> node) {
  return std::make_unique<MemoryMadeFile>(node, [this, node](std::string_view call) -> Result<void> {
    const std::scoped_lock lock(mutex_);
    if (auto ok = enter(call, {}); !ok) return ok;
    touch(*node);
    return {};
  });
}

/// The entry that a name stands for; the folder itself where it is empty.
Result<MemoryFileSystem::Node*> MemoryFileSystem::named(const Folder& at, std::string_view name,
                                                        std::string_view call) {
  if (auto ok = enter(call, name); !ok) return tl::unexpected(ok.error());
  if (!plainName(name)) return fail(Errc::outsideRoot, call, PathBytes(name));
  if (name.empty()) return &nodeOf(at);
  const auto child = nodeOf(at).children.find(std::string(name));
  if (child == nodeOf(at).children.end()) return failErrno(call, PathBytes(name), ENOENT);
  child->second->stat.changed = ++time_;
  return child->second.get();
}

Result<MadeFilePtr> MemoryFileSystem::createFile(const Folder& at, std::string_view name,
                                                 std::uint32_t mode) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("create", name); !ok) return tl::unexpected(ok.error());
  if (!plainName(name) || name.empty()) return fail(Errc::outsideRoot, "create", PathBytes(name));
  auto& node = nodeOf(at).children[std::string(name)];
  if (node) return failErrno("create", PathBytes(name), EEXIST);
  node = make(EntryKind::file);
  node->stat.mode = mode;
  touch(nodeOf(at));
  return changing(node);
}

Result<MadeFilePtr> MemoryFileSystem::openToChange(const Folder& at, std::string_view name) {
  const std::scoped_lock lock(mutex_);
  if (name.empty()) return fail(Errc::outsideRoot, "open", {});
  const auto node = named(at, name, "open-to-change");
  if (!node) return tl::unexpected(node.error());
  if ((*node)->stat.kind != EntryKind::file) return fail(Errc::notAFile, "open", PathBytes(name));
  return changing(nodeOf(at).children[std::string(name)]);
}

Result<void> MemoryFileSystem::link(const Folder& from, std::string_view name, const Folder& to,
                                    std::string_view newName) {
  const std::scoped_lock lock(mutex_);
  if (!plainName(newName) || newName.empty() || name.empty())
    return fail(Errc::outsideRoot, "link", PathBytes(newName));
  const auto node = named(from, name, "link");
  if (!node) return tl::unexpected(node.error());
  if ((*node)->stat.kind == EntryKind::folder) return failErrno("link", PathBytes(name), EPERM);
  auto& there = nodeOf(to).children[std::string(newName)];
  if (there) return failErrno("link", PathBytes(newName), EEXIST);
  there = nodeOf(from).children[std::string(name)];
  ++there->stat.links;
  touch(nodeOf(to));
  return {};
}

Result<void> MemoryFileSystem::makeSymlink(const Folder& at, std::string_view name, const PathBytes& target) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("symlink", name); !ok) return ok;
  if (!plainName(name) || name.empty() || target.empty())
    return fail(Errc::outsideRoot, "symlink", PathBytes(name));
  auto& node = nodeOf(at).children[std::string(name)];
  if (node) return failErrno("symlink", PathBytes(name), EEXIST);
  node = make(EntryKind::symlink);
  node->content = target;
  node->stat.length = target.size();
  touch(nodeOf(at));
  return {};
}

Result<void> MemoryFileSystem::setTimes(const Folder& at, std::string_view name, TimeNs accessed,
                                        TimeNs modified) {
  const std::scoped_lock lock(mutex_);
  const auto node = named(at, name, "times");
  if (!node) return tl::unexpected(node.error());
  (*node)->stat.accessed = accessed;
  (*node)->stat.modified = modified;
  return {};
}

Result<void> MemoryFileSystem::setOwner(const Folder& at, std::string_view name, std::uint32_t owner,
                                        std::uint32_t group) {
  const std::scoped_lock lock(mutex_);
  const auto node = named(at, name, "owner");
  if (!node) return tl::unexpected(node.error());
  (*node)->stat.owner = owner;
  (*node)->stat.group = group;
  return {};
}

Result<void> MemoryFileSystem::setMode(const Folder& at, std::string_view name, std::uint32_t mode) {
  const std::scoped_lock lock(mutex_);
  const auto node = named(at, name, "mode");
  if (!node) return tl::unexpected(node.error());
  if ((*node)->stat.kind == EntryKind::symlink) return fail(Errc::unsupported, "mode", PathBytes(name));
  (*node)->stat.mode = mode;
  return {};
}

Result<void> MemoryFileSystem::setAttribute(const Folder& at, std::string_view name, const std::string& key,
                                            const std::optional<std::string>& value) {
  const std::scoped_lock lock(mutex_);
  const auto node = named(at, name, "set-attribute");
  if (!node) return tl::unexpected(node.error());
  if (value)
    (*node)->attributes[key] = *value;
  else if ((*node)->attributes.erase(key) == 0)
    return fail(Errc::notThere, "attribute", PathBytes(name));
  return {};
}

Result<std::vector<std::string>> MemoryFileSystem::attributes(const Folder& at, std::string_view name) {
  const std::scoped_lock lock(mutex_);
  const auto node = named(at, name, "attributes");
  if (!node) return tl::unexpected(node.error());
  std::vector<std::string> all;
  for (const auto& [key, value] : (*node)->attributes) all.push_back(key);
  return all;
}

Result<void> MemoryFileSystem::makeFolder(const Folder& at, std::string_view name, std::uint32_t mode) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("make-folder", name); !ok) return ok;
  if (!plainName(name) || name.empty()) return fail(Errc::outsideRoot, "make-folder", PathBytes(name));
  if (nodeOf(at).children.contains(std::string(name)))
    return failErrno("make-folder", PathBytes(name), EEXIST);
  auto node = make(EntryKind::folder);
  node->stat.mode = mode;
  nodeOf(at).children[std::string(name)] = node;
  touch(nodeOf(at));
  return {};
}

Result<void> MemoryFileSystem::rename(const Folder& from, std::string_view name, const Folder& to,
                                      std::string_view newName) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("rename", name); !ok) return ok;
  if (!plainName(name) || !plainName(newName) || name.empty() || newName.empty())
    return fail(Errc::outsideRoot, "rename", PathBytes(name));
  auto& a = nodeOf(from).children;
  auto& b = nodeOf(to).children;
  const auto at = a.find(std::string(name));
  if (at == a.end()) return failErrno("rename", PathBytes(name), ENOENT);
  if (b.contains(std::string(newName))) return failErrno("rename", PathBytes(newName), EEXIST);
  const auto node = at->second;
  a.erase(at);
  b[std::string(newName)] = node;
  node->stat.changed = ++time_;
  touch(nodeOf(from));
  touch(nodeOf(to));
  return {};
}

Result<void> MemoryFileSystem::unlink(const Folder& at, std::string_view name) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("unlink", name); !ok) return ok;
  if (!plainName(name) || name.empty()) return fail(Errc::outsideRoot, "unlink", PathBytes(name));
  const auto child = nodeOf(at).children.find(std::string(name));
  if (child == nodeOf(at).children.end()) return failErrno("unlink", PathBytes(name), ENOENT);
  if (child->second->stat.kind == EntryKind::folder) return failErrno("unlink", PathBytes(name), EISDIR);
  --child->second->stat.links;
  child->second->stat.changed = ++time_;
  nodeOf(at).children.erase(child);
  touch(nodeOf(at));
  return {};
}

Result<void> MemoryFileSystem::removeFolder(const Folder& at, std::string_view name) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("remove-folder", name); !ok) return ok;
  if (!plainName(name) || name.empty()) return fail(Errc::outsideRoot, "remove-folder", PathBytes(name));
  const auto child = nodeOf(at).children.find(std::string(name));
  if (child == nodeOf(at).children.end()) return failErrno("remove-folder", PathBytes(name), ENOENT);
  if (child->second->stat.kind != EntryKind::folder)
    return failErrno("remove-folder", PathBytes(name), ENOTDIR);
  if (!child->second->children.empty()) return failErrno("remove-folder", PathBytes(name), ENOTEMPTY);
  nodeOf(at).children.erase(child);
  touch(nodeOf(at));
  return {};
}

Result<void> MemoryFileSystem::appendFile(const Folder& at, std::string_view name, std::string_view bytes) {
  const std::scoped_lock lock(mutex_);
  if (auto ok = enter("append-file", name); !ok) return ok;
  if (!plainName(name) || name.empty()) return fail(Errc::outsideRoot, "append-file", PathBytes(name));
  auto& children = nodeOf(at).children;
  auto& node = children[std::string(name)];
  if (!node) {
    node = make(EntryKind::file);
    node->stat.mode = 0600;
    touch(nodeOf(at));
  }
  node->content += bytes;
  node->stat.length = node->content.size();
  node->stat.occupied = (node->stat.length + 4095) / 4096 * 4096;
  node->stat.modified = node->stat.changed = ++time_;
  return {};
}

Result<void> MemoryFileSystem::syncFolder(const Folder&) {
  const std::scoped_lock lock(mutex_);
  return enter("sync", {});
}

Result<void> MemoryFileSystem::syncAll(const Folder&) {
  const std::scoped_lock lock(mutex_);
  return enter("sync-all", {});
}

}  // namespace zt::test
