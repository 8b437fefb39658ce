// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/survey_codec.h"

#include <xxhash.h>
#include <zstd.h>

#include <cstring>
#include <type_traits>

namespace zt {

namespace {

constexpr std::uint32_t magic = 0x5A545356;  // "ZTSV"
constexpr std::uint32_t version = 1;
constexpr std::uint64_t mostPieceBytes = 64u << 20;

class Writer {
public:
  template <class T>
  void put(T value) {
    static_assert(std::is_trivially_copyable_v<T>);
    bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
  }
  void text(std::string_view s) {
    put(static_cast<std::uint32_t>(s.size()));
    bytes.append(s);
  }
  std::string bytes;
};

class Reader {
public:
  explicit Reader(std::string_view bytes) : rest_(bytes) {}
  template <class T>
  T get() {
    T value{};
    if (rest_.size() < sizeof value) return ok_ = false, value;
    std::memcpy(&value, rest_.data(), sizeof value);
    rest_.remove_prefix(sizeof value);
    return value;
  }
  std::string_view text(std::size_t most) {
    const auto size = get<std::uint32_t>();
    if (!ok_ || size > most || size > rest_.size()) return ok_ = false, std::string_view{};
    const auto s = rest_.substr(0, size);
    rest_.remove_prefix(size);
    return s;
  }
  std::string_view raw(std::size_t size) {
    if (size > rest_.size()) return ok_ = false, std::string_view{};
    const auto s = rest_.substr(0, size);
    rest_.remove_prefix(size);
    return s;
  }
  bool ok() const { return ok_; }
  bool atEnd() const { return rest_.empty(); }

private:
  std::string_view rest_;
  bool ok_ = true;
};

/// zstd with the plain size and an XXH64 of the plain bytes before it.
std::string pack(const std::string& plain) {
  Writer head;
  head.put(static_cast<std::uint64_t>(plain.size()));
  head.put(static_cast<std::uint64_t>(XXH64(plain.data(), plain.size(), 0)));
  std::string packed(ZSTD_compressBound(plain.size()), '\0');
  const std::size_t size = ZSTD_compress(packed.data(), packed.size(), plain.data(), plain.size(), 1);
  packed.resize(size);
  return head.bytes + packed;
}

Result<std::string> unpack(const std::string& piece) {
  Reader head(piece);
  const auto size = head.get<std::uint64_t>();
  const auto sum = head.get<std::uint64_t>();
  if (!head.ok() || size > mostPieceBytes) return fail(Errc::corrupt, "survey-piece");
  std::string plain(size, '\0');
  const std::size_t got = ZSTD_decompress(plain.data(), plain.size(), piece.data() + 16, piece.size() - 16);
  if (ZSTD_isError(got) != 0 || got != size || XXH64(plain.data(), plain.size(), 0) != sum)
    return fail(Errc::corrupt, "survey-piece");
  return plain;
}

void putHead(Writer& w, const Survey& s) {
  w.put(magic);
  w.put(version);
  w.text(s.root);
  w.text(s.mountTarget);
  w.text(s.driveId);
  w.text(s.fsType);
  for (const bool flag : {s.wholeDrive, s.partial, s.standIn, s.usage.readOnly})
    w.put(static_cast<std::uint8_t>(flag));
  w.put(s.started);
  w.put(s.finished);
  w.put(s.vanished);
  w.put(s.timesAtRisk);
  for (const Bytes b :
       {s.usage.capacity, s.usage.free, s.usage.available, s.usage.inodes, s.usage.inodesFree})
    w.put(b);
  w.put(s.statement.capacity);
  for (const SignedBytes b : s.statement.lines) w.put(b);
  w.put(static_cast<std::uint32_t>(s.exceptions.size()));
  for (const auto& e : s.exceptions) {
    w.put(static_cast<std::uint8_t>(e.kind));
    w.put(static_cast<std::int32_t>(e.sysErrno));
    w.put(e.node);
  }
  w.put(s.tree.size());
}

bool getHead(Reader& r, Survey& s) {
  s.root = r.text(1 << 20);
  s.mountTarget = r.text(1 << 20);
  s.driveId = r.text(4096);
  s.fsType = r.text(4096);
  for (bool* flag : {&s.wholeDrive, &s.partial, &s.standIn, &s.usage.readOnly})
    *flag = r.get<std::uint8_t>() != 0;
  s.started = r.get<TimeNs>();
  s.finished = r.get<TimeNs>();
  s.vanished = r.get<std::uint64_t>();
  s.timesAtRisk = r.get<std::uint64_t>();
  for (Bytes* b :
       {&s.usage.capacity, &s.usage.free, &s.usage.available, &s.usage.inodes, &s.usage.inodesFree})
    *b = r.get<Bytes>();
  s.statement.capacity = r.get<Bytes>();
  for (SignedBytes& b : s.statement.lines) b = r.get<SignedBytes>();
  const auto count = r.get<std::uint32_t>();
  for (std::uint32_t i = 0; i < count && r.ok(); ++i) {
    const auto kind = r.get<std::uint8_t>();
    const auto err = r.get<std::int32_t>();
    const auto node = r.get<NodeId>();
    if (kind > 3) return false;
    s.exceptions.push_back({static_cast<SurveyException::Kind>(kind), err, node});
  }
  return r.ok();
}

}  // namespace

/// Reaches into the tree: writes nodes in order of their numbers, one folder's children after another, and
/// builds a new tree through the same calls as the walk.
class SurveyTreeCodec {
public:
  static constexpr NodeId nodesAPiece = 65536;

  static void putNodes(Writer& w, const SurveyTree& t, NodeId from, NodeId to) {
    for (NodeId id = from; id < to; ++id) {
      const auto& c = t.chunk(id);
      const auto s = SurveyTree::slot(id);
      w.put(c.parent[s]);
      w.put(c.kind[s]);
      w.put(c.length[s]);
      w.put(t.occupied(id));
      w.put(c.inode[s]);
      w.put(c.modified[s]);
      w.put(c.bornMark[s]);
      w.put(c.changedMark[s]);
      w.put(t.owner(id));
      w.put(static_cast<std::uint32_t>(t.accessedSeconds(id)));
      const auto name = t.name(id);
      w.put(static_cast<std::uint8_t>(name.size()));
      w.bytes.append(name);
    }
  }

  bool getNode(Reader& r, SurveyTree& t, SurveyTree::Writer& w, NodeId id) {
    const auto parent = r.get<NodeId>();
    const auto kind = r.get<std::uint8_t>();
    SurveyTree::Entry e;
    e.stat.length = r.get<Bytes>();
    e.stat.occupied = r.get<Bytes>();
    e.stat.inode = r.get<std::uint64_t>();
    e.stat.modified = r.get<TimeNs>();
    const auto born = r.get<std::uint32_t>();
    const auto changed = r.get<std::uint32_t>();
    e.stat.owner = r.get<std::uint32_t>();
    e.stat.accessed = TimeNs{r.get<std::uint32_t>()} * nsPerSecond;
    const auto size = r.get<std::uint8_t>();
    const std::string name(r.raw(size));
    if (!r.ok() || kind > 3 || e.stat.length > (Bytes{1} << 62) || e.stat.occupied > (Bytes{1} << 62))
      return false;
    const bool root = id == 0;
    if (root != (parent == noNode) || (!root && (parent >= id || !t.isFolder(parent)))) return false;
    if (!root && (size == 0 || name.find('/') != std::string::npos)) return false;
    // Children of one folder are contiguous: the parent changes only to one that has had no children yet.
    if (!root && parent != lastParent_ && !seen_.insert(parent)) return false;
    lastParent_ = parent;
    e.stat.kind = static_cast<EntryKind>(kind);
    e.name = name;
    t.size_ = id + 1;
    t.ensureChunks(std::uint64_t{id} + 1);
    t.put(w, id, parent, e);
    auto& c = t.chunk(id);
    c.bornMark[SurveyTree::slot(id)] = born;
    c.changedMark[SurveyTree::slot(id)] = changed;
    return true;
  }

  static void putLinks(Writer& w, const SurveyTree& t) {
    w.put(static_cast<std::uint32_t>(t.linked().size()));
    for (const auto& link : t.linked()) {
      w.put(link.device);
      w.put(link.node);
      w.put(link.links);
    }
  }

  static bool getLinks(Reader& r, SurveyTree& t, std::vector<LinkedNode>& links) {
    const auto count = r.get<std::uint32_t>();
    for (std::uint32_t i = 0; i < count && r.ok(); ++i) {
      LinkedNode link;
      link.device = r.get<std::uint64_t>();
      link.node = r.get<NodeId>();
      link.links = r.get<std::uint32_t>();
      if (!r.ok() || link.node == 0 || link.node >= t.size() || t.isFolder(link.node)) return false;
      auto& flags = t.chunk(link.node).flags[SurveyTree::slot(link.node)];
      if ((flags & SurveyTree::flagLinked) != 0) return false;
      flags |= SurveyTree::flagLinked;
      link.inode = t.inode(link.node);
      links.push_back(link);
    }
    return r.ok();
  }

private:
  struct Seen {
    std::vector<bool> bits;
    bool insert(NodeId id) {
      if (bits.size() <= id) bits.resize(std::size_t{id} + 1024);
      if (bits[id]) return false;
      return bits[id] = true;
    }
  };
  Seen seen_;
  NodeId lastParent_ = noNode;
};

std::vector<std::string> encodeSurvey(const Survey& survey) {
  std::vector<std::string> pieces;
  Writer head;
  putHead(head, survey);
  SurveyTreeCodec::putLinks(head, survey.tree);
  pieces.push_back(pack(head.bytes));
  for (NodeId from = 0; from < survey.tree.size(); from += SurveyTreeCodec::nodesAPiece) {
    Writer nodes;
    const NodeId to = std::min(survey.tree.size(), from + SurveyTreeCodec::nodesAPiece);
    SurveyTreeCodec::putNodes(nodes, survey.tree, from, to);
    pieces.push_back(pack(nodes.bytes));
  }
  return pieces;
}

Result<SurveyPtr> decodeSurvey(std::span<const std::string> pieces) {
  const auto corrupt = [] { return fail(Errc::corrupt, "survey"); };
  if (pieces.empty()) return corrupt();
  const auto head = unpack(pieces[0]);
  if (!head) return tl::unexpected(head.error());
  Reader r(*head);
  if (r.get<std::uint32_t>() != magic) return fail(Errc::notOurs, "survey");
  if (r.get<std::uint32_t>() > version) return fail(Errc::tooNew, "survey");
  auto survey = std::make_shared<Survey>();
  if (!getHead(r, *survey)) return corrupt();
  const auto count = r.get<NodeId>();
  const std::uint64_t needed =
      (std::uint64_t{count} + SurveyTreeCodec::nodesAPiece - 1) / SurveyTreeCodec::nodesAPiece;
  if (!r.ok() || count == 0 || count == noNode || needed != pieces.size() - 1) return corrupt();
  SurveyTreeCodec codec;
  SurveyTree::Writer writer;
  NodeId id = 0;
  for (const auto& piece : pieces.subspan(1)) {
    const auto nodes = unpack(piece);
    if (!nodes) return tl::unexpected(nodes.error());
    Reader in(*nodes);
    while (!in.atEnd())
      if (id >= count || !codec.getNode(in, survey->tree, writer, id++)) return corrupt();
  }
  std::vector<LinkedNode> links;
  if (id != count || !SurveyTreeCodec::getLinks(r, survey->tree, links)) return corrupt();
  for (const auto& e : survey->exceptions)
    if (e.node >= count) return corrupt();
  survey->tree.finish(std::move(links));
  return SurveyPtr(std::move(survey));
}

}  // namespace zt
