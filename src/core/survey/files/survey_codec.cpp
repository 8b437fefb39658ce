// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/files/survey_codec.h"

#include <xxhash.h>
#include <zstd.h>

#include <algorithm>

#include "core/survey/files/byte_stream.h"
#include "core/survey/files/holdings_codec.h"
#include "core/survey/measure/shared_extents.h"

namespace zt {

namespace {

constexpr std::uint32_t magic = 0x5A545356;  // "ZTSV"
constexpr std::uint32_t version = 7;
constexpr std::uint32_t oldest = 2;  ///< that can still be read
constexpr std::uint64_t mostPieceBytes = 64u << 20;
constexpr std::size_t holdingsAPiece = 16u << 20;
constexpr int compression = 1;  // a higher level costs more time than the bytes are worth

using Writer = ByteWriter;
using Reader = ByteReader;

/// zstd with the plain size and an XXH64 of the plain bytes before it.
std::string pack(const std::string& plain) {
  Writer head;
  head.put(static_cast<std::uint64_t>(plain.size()));
  head.put(static_cast<std::uint64_t>(XXH64(plain.data(), plain.size(), 0)));
  std::string packed(ZSTD_compressBound(plain.size()), '\0');
  const std::size_t size =
      ZSTD_compress(packed.data(), packed.size(), plain.data(), plain.size(), compression);
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

void putStatement(Writer& w, const Statement& s) {
  w.put(s.capacity);
  for (const SignedBytes b : s.lines) w.put(b);
  for (const LineSource source : s.sources) w.put(static_cast<std::uint8_t>(source));
  w.put(static_cast<std::uint32_t>(s.parts.size()));
  for (const StatementPart& part : s.parts) {
    w.put(static_cast<std::uint8_t>(part.line));
    w.text(part.id);
    w.text(part.subject);
    w.put(part.bytes);
    w.put(part.count);
  }
}

/// Lines in the order that a version wrote them: version 2 did not know what changed meanwhile.
std::vector<StatementLine> linesOf(std::uint32_t written) {
  std::vector<StatementLine> lines;
  for (std::size_t i = 0; i < statementLines; ++i)
    if (written > 2 || static_cast<StatementLine>(i) != StatementLine::changedMeanwhile)
      lines.push_back(static_cast<StatementLine>(i));
  return lines;
}

bool getStatement(Reader& r, Statement& s, std::uint32_t written) {
  const auto lines = linesOf(written);
  s.capacity = r.get<Bytes>();
  for (const StatementLine line : lines) s[line] = r.get<SignedBytes>();
  for (const StatementLine line : lines) {
    const auto value = r.get<std::uint8_t>();
    if (value >= lineSources) return false;
    s.sources[static_cast<std::size_t>(line)] = static_cast<LineSource>(value);
  }
  const auto count = r.get<std::uint32_t>();
  for (std::uint32_t i = 0; i < count && r.ok(); ++i) {
    StatementPart part;
    const auto line = r.get<std::uint8_t>();
    if (line >= lines.size()) return false;
    part.line = lines[line];
    part.id = r.text(64);
    part.subject = r.text(1 << 20);
    part.bytes = r.get<SignedBytes>();
    part.count = r.get<std::uint64_t>();
    s.parts.push_back(std::move(part));
  }
  return r.ok();
}

void putHead(Writer& w, const Survey& s, const std::vector<NodeId>& numbers) {
  w.put(magic);
  w.put(version);
  w.text(s.root);
  w.text(s.mountTarget);
  w.text(s.driveId);
  w.text(s.fsType);
  for (const bool flag : {s.wholeDrive, s.partial, s.standIn, s.usage.readOnly, s.imported})
    w.put(static_cast<std::uint8_t>(flag));
  w.put(s.started);
  w.put(s.finished);
  w.put(s.vanished);
  w.put(s.timesAtRisk);
  for (const Bytes b :
       {s.usage.capacity, s.usage.free, s.usage.available, s.usage.inodes, s.usage.inodesFree})
    w.put(b);
  putStatement(w, s.statement);
  w.put(static_cast<std::uint32_t>(s.exceptions.size()));
  for (const auto& e : s.exceptions) {
    w.put(static_cast<std::uint8_t>(e.kind));
    w.put(static_cast<std::int32_t>(e.sysErrno));
    w.put(numbers[e.node]);
  }
  w.put(s.tree.entries());
}

bool getHead(Reader& r, Survey& s, std::uint32_t written) {
  s.root = r.text(1 << 20);
  s.mountTarget = r.text(1 << 20);
  s.driveId = r.text(4096);
  s.fsType = r.text(4096);
  for (bool* flag : {&s.wholeDrive, &s.partial, &s.standIn, &s.usage.readOnly, &s.imported})
    *flag = r.get<std::uint8_t>() != 0;
  s.started = r.get<TimeNs>();
  s.finished = r.get<TimeNs>();
  s.vanished = r.get<std::uint64_t>();
  s.timesAtRisk = r.get<std::uint64_t>();
  for (Bytes* b :
       {&s.usage.capacity, &s.usage.free, &s.usage.available, &s.usage.inodes, &s.usage.inodesFree})
    *b = r.get<Bytes>();
  if (!getStatement(r, s.statement, written)) return false;
  const auto count = r.get<std::uint32_t>();
  for (std::uint32_t i = 0; i < count && r.ok(); ++i) {
    const auto kind = r.get<std::uint8_t>();
    const auto err = r.get<std::int32_t>();
    const auto node = r.get<NodeId>();
    if (kind >= surveyExceptionKinds) return false;
    s.exceptions.push_back({static_cast<SurveyException::Kind>(kind), err, node});
  }
  return r.ok();
}

}  // namespace

/// Reaches into the tree: writes nodes in order of their numbers, one column after another, and builds a new
/// tree through the same calls as the walk.
class SurveyTreeCodec {
public:
  explicit SurveyTreeCodec(bool allMayShare) : allMayShare_(allMayShare) {}
  static constexpr NodeId nodesAPiece = 65536;
  /// The columns of a piece, each written whole before the next.
  enum Column {
    parents,
    kinds,
    sizes,
    names,
    lengths,
    occupied,
    inodes,
    seconds,
    fractions,
    accesses,
    marks,
    markBits,
    owners,
    columns
  };

  /// Numbers in the file of the nodes of the tree: those that are gone have none.
  static std::vector<NodeId> numbersOf(const SurveyTree& t) {
    std::vector<NodeId> numbers(t.size(), noNode);
    NodeId next = 0;
    for (NodeId id = 0; id < t.size(); ++id)
      if (!t.isGone(id)) numbers[id] = next++;
    return numbers;
  }

  /// Writes the nodes from `from` on until the piece is full, and gives where it stopped.
  static NodeId putNodes(std::string& piece, const SurveyTree& t, NodeId from,
                         const std::vector<NodeId>& numbers) {
    std::vector<NodeId> ids;
    ids.reserve(nodesAPiece);
    NodeId id = from;
    for (; id < t.size() && ids.size() < nodesAPiece; ++id)
      if (!t.isGone(id)) ids.push_back(id);
    std::array<Writer, columns> w;
    putParents(w[parents], t, ids, numbers);
    putNames(w[names], t, ids);
    putNumbers(w, t, ids);
    putTimes(w, t, ids);
    for (const NodeId node : ids) {
      const auto& c = t.chunk(node);
      const auto s = SurveyTree::slot(node);
      putMarks(w, c.bornMark[s], c.changedMark[s], timeMark(c.modified[s]));
    }
    Writer whole;
    std::size_t size = 0;
    for (const Writer& column : w) size += sizeof(std::uint32_t) + column.bytes.size();
    whole.bytes.reserve(size);
    for (const Writer& column : w) whole.put(static_cast<std::uint32_t>(column.bytes.size()));
    for (const Writer& column : w) whole.bytes += column.bytes;
    piece = pack(whole.bytes);
    return id;
  }

  /// Adds the nodes of one unpacked piece; false for anything that cannot be.
  bool getNodes(Reader& in, GrowingTree& t, GrowingTree::Writer& writer, NodeId& id, NodeId most) {
    std::array<Reader, columns> r;
    std::array<std::uint32_t, columns> sizesOf{};
    for (auto& size : sizesOf) size = in.get<std::uint32_t>();
    for (std::size_t c = 0; c < columns; ++c) r[c] = Reader(in.raw(sizesOf[c]));
    if (!in.ok() || !in.atEnd()) return false;
    Last last;
    for (NodeId n = 0; n < nodesAPiece && !r[kinds].atEnd(); ++n) {
      if (id >= most || !getNode(r, t, writer, id++, last)) return false;
    }
    return std::all_of(r.begin(), r.end(),
                       [](const Reader& column) { return column.ok() && column.atEnd(); });
  }

  static void putLinks(Writer& w, const SurveyTree& t, const std::vector<NodeId>& numbers) {
    w.put(static_cast<std::uint32_t>(t.linked().size()));
    for (const LinkedNode& link : t.linked()) {
      w.put(link.device);
      w.put(numbers[link.node]);
      w.put(link.links);
    }
  }

  static bool getLinks(Reader& r, GrowingTree& t, std::vector<LinkedNode>& links) {
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
  /// What numbers are written as differences from. A parent is written once, before the number of its
  /// children in the piece.
  struct Last {
    NodeId parent = noNode - 1;
    std::uint64_t run = 0;
    std::uint64_t inode = 0;
    std::int64_t second = 0;
  };
  static constexpr std::uint8_t shareBit = 4;
  static constexpr std::uint8_t fixedBit = 8;
  enum MarkBit : std::uint8_t { bornIsModified = 1, changedIsModified = 2, changedIsBorn = 4, noBirth = 8 };
  static constexpr Bytes sector = 4096;
  static Bytes usual(Bytes length) { return (length + sector - 1) / sector * sector; }

  /// Fills one column: `each` writes what belongs to a node, `most` bytes at most, and gives where it ends.
  /// A column at a time, because the tree lies in columns too: this is half of what saving costs.
  template <class Each>
  static void fill(Writer& column, const std::vector<NodeId>& ids, std::size_t most, Each each) {
    column.bytes.resize(ids.size() * most);
    char* at = column.bytes.data();
    for (const NodeId id : ids) at = each(at, id);
    column.bytes.resize(static_cast<std::size_t>(at - column.bytes.data()));
  }

  static void putParents(Writer& w, const SurveyTree& t, const std::vector<NodeId>& ids,
                         const std::vector<NodeId>& numbers) {
    Last last;
    for (const NodeId id : ids) {
      const NodeId parent = id == 0 ? noNode : numbers[t.parent(id)];
      if (parent != last.parent) {
        if (last.parent != noNode - 1) w.varint(last.run);
        w.varint(parent == noNode ? 0 : std::uint64_t{parent} + 1);
        last.parent = parent;
        last.run = 0;
      }
      ++last.run;
    }
    w.varint(last.run);
  }

  static void putNames(Writer& w, const SurveyTree& t, const std::vector<NodeId>& ids) {
    constexpr std::size_t usualName = 24;
    w.bytes.reserve(ids.size() * usualName);
    for (const NodeId id : ids) w.bytes.append(t.name(id));
  }

  static void putNumbers(std::array<Writer, columns>& w, const SurveyTree& t,
                         const std::vector<NodeId>& ids) {
    fill(w[kinds], ids, 1, [&](char* at, NodeId id) {
      *at = static_cast<char>(static_cast<unsigned>(t.kind(id)) | (t.mayShare(id) ? shareBit : 0u) |
                              (t.isFixed(id) ? fixedBit : 0u));
      return at + 1;
    });
    fill(w[sizes], ids, 1,
         [&](char* at, NodeId id) { return *at = static_cast<char>(t.name(id).size()), at + 1; });
    fill(w[lengths], ids, mostVarint, [&](char* at, NodeId id) { return putVarint(at, t.length(id)); });
    fill(w[occupied], ids, mostVarint, [&](char* at, NodeId id) {
      const Bytes held = t.occupied(id);
      return putVarint(at, held == usual(t.length(id)) ? 0 : held + 1);
    });
    fill(w[inodes], ids, mostVarint, [&, before = std::uint64_t{0}](char* at, NodeId id) mutable {
      const std::uint64_t inode = t.inode(id);
      return putVarint(at, zigzagged(static_cast<std::int64_t>(inode - std::exchange(before, inode))));
    });
    fill(w[owners], ids, mostVarint, [&](char* at, NodeId id) { return putVarint(at, t.owner(id)); });
  }

  static void putTimes(std::array<Writer, columns>& w, const SurveyTree& t, const std::vector<NodeId>& ids) {
    fill(w[seconds], ids, mostVarint, [&, before = std::int64_t{0}](char* at, NodeId id) mutable {
      const std::int64_t second = floorSeconds(t.modified(id));
      return putVarint(at, zigzagged(second - std::exchange(before, second)));
    });
    fill(w[fractions], ids, sizeof(std::uint32_t), [&](char* at, NodeId id) {
      const TimeNs time = t.modified(id);
      const auto rest = static_cast<std::uint32_t>(time - floorSeconds(time) * nsPerSecond);
      std::memcpy(at, &rest, sizeof rest);
      return at + sizeof rest;
    });
    fill(w[accesses], ids, mostVarint, [&](char* at, NodeId id) {
      return putVarint(at, zigzagged(t.accessedSeconds(id) - floorSeconds(t.modified(id))));
    });
  }

  static void putMarks(std::array<Writer, columns>& w, std::uint32_t born, std::uint32_t changed,
                       std::uint32_t modified) {
    std::uint8_t bits = 0;
    if (born == 0)
      bits |= noBirth;
    else if (born == modified)
      bits |= bornIsModified;
    else
      w[marks].put(born);
    if (changed == modified)
      bits |= changedIsModified;
    else if (changed == born)
      bits |= changedIsBorn;
    else
      w[marks].put(changed);
    w[markBits].put(bits);
  }

  static std::int64_t floorSeconds(TimeNs time) {
    const std::int64_t second = time / nsPerSecond;
    return time % nsPerSecond < 0 ? second - 1 : second;
  }

  bool getParent(Reader& r, GrowingTree& t, NodeId id, Last& last) {
    if (last.run > 0) return --last.run, true;
    const std::uint64_t written = r.varint();
    last.run = r.varint();
    const bool root = id == 0;
    if (!r.ok() || last.run == 0 || root != (written == 0) || written > id) return false;
    last.parent = root ? noNode : static_cast<NodeId>(written - 1);
    --last.run;
    if (root) return last.run == 0;
    if (!t.isFolder(last.parent)) return false;
    // Children of one folder are contiguous: a parent comes up again only if the piece before ended with it.
    if (last.parent == lastParent_) return true;
    lastParent_ = last.parent;
    return seen_.insert(last.parent);
  }

  bool getNode(std::array<Reader, columns>& r, GrowingTree& t, GrowingTree::Writer& writer, NodeId id,
               Last& last) {
    if (!getParent(r[parents], t, id, last)) return false;
    const auto kind = r[kinds].get<std::uint8_t>();
    const auto name = r[names].raw(r[sizes].get<std::uint8_t>());
    GrowingTree::Entry e;
    e.name = name;
    e.stat.length = r[lengths].varint();
    const Bytes held = r[occupied].varint();
    e.stat.occupied = held == 0 ? usual(std::min(e.stat.length, Bytes{1} << 62)) : held - 1;
    e.stat.inode = last.inode += static_cast<std::uint64_t>(r[inodes].zigzag());
    const std::int64_t step = r[seconds].zigzag();
    const auto fraction = r[fractions].get<std::uint32_t>();
    constexpr std::int64_t mostSeconds = INT64_MAX / nsPerSecond;
    if (__builtin_add_overflow(last.second, step, &last.second) || last.second < -mostSeconds - 1 ||
        last.second >= mostSeconds || fraction >= nsPerSecond)
      return false;
    // The earliest second is only partly there: reached from the next one.
    if (__builtin_add_overflow((last.second + 1) * nsPerSecond, TimeNs{fraction} - nsPerSecond,
                               &e.stat.modified))
      return false;
    std::int64_t accessed = 0;
    if (__builtin_add_overflow(r[accesses].zigzag(), last.second, &accessed) || accessed < 0 ||
        accessed > UINT32_MAX)
      return false;
    e.stat.accessed = accessed * nsPerSecond;
    const auto bits = r[markBits].get<std::uint8_t>();
    const std::uint32_t modified = timeMark(e.stat.modified);
    const std::uint32_t born = (bits & noBirth) != 0          ? 0
                               : (bits & bornIsModified) != 0 ? modified
                                                              : r[marks].get<std::uint32_t>();
    const std::uint32_t changed = (bits & changedIsModified) != 0 ? modified
                                  : (bits & changedIsBorn) != 0   ? born
                                                                  : r[marks].get<std::uint32_t>();
    const std::uint64_t owner = r[owners].varint();
    const bool sound = std::all_of(r.begin(), r.end(), [](const Reader& column) { return column.ok(); });
    if (!sound || (kind & ~(shareBit | fixedBit)) > 3 || e.stat.length > Bytes{INT64_MAX} ||
        e.stat.occupied > Bytes{INT64_MAX} || owner > UINT32_MAX)
      return false;
    e.stat.kind = static_cast<EntryKind>(kind & 3);
    e.stat.fixed = (kind & fixedBit) != 0;
    e.stat.mayShare = (kind & shareBit) != 0 || (allMayShare_ && e.stat.kind == EntryKind::file);
    if (id == 0 ? e.stat.kind != EntryKind::folder : name.empty() || name.find('/') != std::string_view::npos)
      return false;
    e.stat.owner = static_cast<std::uint32_t>(owner);
    t.size_ = id + 1;
    t.ensureChunks(std::uint64_t{id} + 1);
    t.put(writer, id, last.parent, e);
    auto& c = t.chunk(id);
    c.bornMark[SurveyTree::slot(id)] = born;
    c.changedMark[SurveyTree::slot(id)] = changed;
    return true;
  }

  struct Seen {
    std::vector<bool> bits;
    bool insert(NodeId id) {
      if (bits.size() <= id) bits.resize(std::size_t{id} + 1024);
      if (bits[id]) return false;
      return bits[id] = true;
    }
  };
  bool allMayShare_;
  Seen seen_;
  NodeId lastParent_ = noNode;
};

std::vector<std::string> encodeSurvey(const Survey& survey) {
  std::vector<std::string> pieces(1);
  const auto numbers = SurveyTreeCodec::numbersOf(survey.tree);
  Writer head;
  putHead(head, survey, numbers);
  SurveyTreeCodec::putLinks(head, survey.tree, numbers);
  const std::string holdings = survey.holdings ? encodeHoldings(*survey.holdings, numbers) : std::string{};
  head.put(static_cast<std::uint32_t>((holdings.size() + holdingsAPiece - 1) / holdingsAPiece));
  pieces[0] = pack(head.bytes);
  for (NodeId at = 0; at < survey.tree.size();) {
    std::string piece;
    at = SurveyTreeCodec::putNodes(piece, survey.tree, at, numbers);
    pieces.push_back(std::move(piece));
  }
  for (std::size_t at = 0; at < holdings.size(); at += holdingsAPiece)
    pieces.push_back(pack(holdings.substr(at, holdingsAPiece)));
  return pieces;
}

Result<SurveyPtr> decodeSurvey(std::span<const std::string> pieces) {
  const auto corrupt = [] { return fail(Errc::corrupt, "survey"); };
  if (pieces.empty()) return corrupt();
  const auto head = unpack(pieces[0]);
  if (!head) return tl::unexpected(head.error());
  Reader r(*head);
  if (r.get<std::uint32_t>() != magic) return fail(Errc::notOurs, "survey");
  const auto written = r.get<std::uint32_t>();
  if (written > version) return fail(Errc::tooNew, "survey");
  if (written < oldest) return fail(Errc::unsupported, "survey");
  auto survey = std::make_shared<Survey>();
  if (!getHead(r, *survey, written)) return corrupt();
  const auto count = r.get<NodeId>();
  if (!r.ok() || count == 0 || count == noNode) return corrupt();
  // Version 2 did not ask what files share: where they can, none of them is sure.
  const BlockSharing sharing = blockSharing(survey->fsType);
  SurveyTreeCodec codec(written == 2 && sharing != BlockSharing::never &&
                        sharing != BlockSharing::attributes);
  GrowingTree::Writer writer;
  NodeId id = 0;
  std::span<const std::string> rest = pieces.subspan(1);
  while (id != count && !rest.empty()) {
    const auto nodes = unpack(rest.front());
    rest = rest.subspan(1);
    if (!nodes) return tl::unexpected(nodes.error());
    Reader in(*nodes);
    if (!codec.getNodes(in, survey->tree, writer, id, count)) return corrupt();
  }
  std::vector<LinkedNode> links;
  if (id != count || !SurveyTreeCodec::getLinks(r, survey->tree, links)) return corrupt();
  for (const auto& e : survey->exceptions)
    if (e.node >= count) return corrupt();
  survey->tree.finish(std::move(links));
  const auto holdingsPieces = written < 4 ? 0 : r.get<std::uint32_t>();
  if (!r.ok() || holdingsPieces != rest.size()) return corrupt();
  std::string holdings;
  for (const auto& piece : rest) {
    auto part = unpack(piece);
    if (!part) return tl::unexpected(part.error());
    holdings += *part;
  }
  if (!rest.empty()) survey->holdings = decodeHoldings(holdings, survey->tree);
  if (!rest.empty() && !survey->holdings) return corrupt();
  return SurveyPtr(std::move(survey));
}

}  // namespace zt
