// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/files/exchange.h"

#include <zstd.h>

#include <charconv>
#include <memory>
#include <nlohmann/json.hpp>

#include "core/survey/tree/tree_builder.h"

namespace zt {

namespace {

using Json = nlohmann::json;

constexpr int exchangeVersion = 1;
constexpr std::size_t mostLine = 1 << 20;
constexpr std::string_view format = "zip-tally-survey";
constexpr std::string_view kinds[] = {"file", "folder", "symlink", "other"};
constexpr std::string_view csvHead =
    "path,kind,length_bytes,occupied_bytes,links,inode,device,owner,modified_ns,accessed_s\r\n";

std::optional<EntryKind> kindFrom(std::string_view text) {
  for (std::size_t i = 0; i < std::size(kinds); ++i)
    if (kinds[i] == text) return static_cast<EntryKind>(i);
  return std::nullopt;
}

/// Compresses what is written to it, and hands it on.
class Compressor {
public:
  explicit Compressor(const ByteSink& sink) : sink_(sink), stream_(ZSTD_createCCtx()) {
    ZSTD_CCtx_setParameter(stream_.get(), ZSTD_c_checksumFlag, 1);
  }
  bool write(std::string_view text, bool last = false) {
    ZSTD_inBuffer in{text.data(), text.size(), 0};
    for (;;) {
      ZSTD_outBuffer out{buffer_.data(), buffer_.size(), 0};
      const std::size_t left =
          ZSTD_compressStream2(stream_.get(), &out, &in, last ? ZSTD_e_end : ZSTD_e_continue);
      if (ZSTD_isError(left) != 0 || (out.pos > 0 && !sink_({buffer_.data(), out.pos}))) return false;
      if (last ? left == 0 : in.pos == in.size) return true;
    }
  }

private:
  struct Free {
    void operator()(ZSTD_CCtx* c) const { ZSTD_freeCCtx(c); }
  };
  const ByteSink& sink_;
  std::unique_ptr<ZSTD_CCtx, Free> stream_;
  std::string buffer_ = std::string(ZSTD_CStreamOutSize(), '\0');
};

/// Links by node, for entries that have several names.
absl::flat_hash_map<NodeId, const LinkedNode*> linksOf(const SurveyTree& t) {
  absl::flat_hash_map<NodeId, const LinkedNode*> links;
  for (const LinkedNode& link : t.linked()) links.emplace(link.node, &link);
  return links;
}

Json headOf(const Survey& s) {
  Json lines = Json::object();
  Json sources = Json::object();
  for (std::size_t i = 0; i < statementLines; ++i) {
    const auto line = static_cast<StatementLine>(i);
    lines[std::string(name(line))] = s.statement[line];
    sources[std::string(name(line))] = name(s.statement.source(line));
  }
  return {{"format", format},
          {"version", exchangeVersion},
          {"root", escapePath(s.root)},
          {"drive", s.driveId},
          {"fs_type", s.fsType},
          {"whole_drive", s.wholeDrive},
          {"partial", s.partial},
          {"started_ns", s.started},
          {"finished_ns", s.finished},
          {"entries", s.tree.entries()},
          {"capacity_bytes", s.usage.capacity},
          {"free_bytes", s.usage.free},
          {"available_bytes", s.usage.available},
          {"inodes", s.usage.inodes},
          {"inodes_free", s.usage.inodesFree},
          {"statement", std::move(lines)},
          {"sources", std::move(sources)}};
}

Result<void> exportJsonLines(const Survey& s, const ByteSink& sink) {
  const SurveyTree& t = s.tree;
  Compressor out(sink);
  const auto broken = [] { return fail(Errc::io, "export"); };
  const auto dump = [](const Json& j) {
    return j.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n";
  };
  if (!out.write(dump(headOf(s)))) return broken();
  const auto links = linksOf(t);
  std::vector<NodeId> numbers(t.size(), noNode);
  NodeId next = 0;
  for (NodeId id = 0; id < t.size(); ++id) {
    if (t.isGone(id)) continue;
    numbers[id] = next++;
    Json j{{"kind", kinds[static_cast<std::size_t>(t.kind(id))]},
           {"length_bytes", t.length(id)},
           {"occupied_bytes", t.occupied(id)},
           {"inode", t.inode(id)},
           {"owner", t.owner(id)},
           {"modified_ns", t.modified(id)}};
    if (id != 0) {
      j["in"] = numbers[t.parent(id)];
      j["name"] = escapePath(t.name(id));
    }
    if (!t.isFolder(id)) j["accessed_s"] = t.accessedSeconds(id);
    if (const auto link = links.find(id); link != links.end()) {
      j["links"] = link->second->links;
      j["device"] = link->second->device;
    }
    if (!out.write(dump(j))) return broken();
  }
  return out.write({}, true) ? Result<void>{} : Result<void>(broken());
}

std::string csvText(std::string_view text) {
  if (text.find_first_of(",\"\r\n") == std::string_view::npos) return std::string(text);
  std::string quoted = "\"";
  for (const char c : text) {
    if (c == '"') quoted += '"';
    quoted += c;
  }
  return quoted + '"';
}

Result<void> exportCsv(const Survey& s, const ByteSink& sink) {
  const SurveyTree& t = s.tree;
  const auto links = linksOf(t);
  std::string text(csvHead);
  const auto flush = [&](std::size_t from) {
    if (text.size() < from) return true;
    const bool ok = sink(text);
    text.clear();
    return ok;
  };
  for (NodeId id = 0; id < t.size(); ++id) {
    if (t.isGone(id)) continue;
    const auto link = links.find(id);
    // "./" before every path keeps spreadsheets from taking a name for a formula.
    text += csvText(id == 0 ? "." : "./" + escapePath(t.path(id)));
    text += ',';
    text += kinds[static_cast<std::size_t>(t.kind(id))];
    const auto number = [&](auto value) { text += ',' + std::to_string(value); };
    number(t.length(id));
    number(t.occupied(id));
    number(link == links.end() ? 1u : link->second->links);
    number(t.inode(id));
    number(link == links.end() ? std::uint64_t{0} : link->second->device);
    number(t.owner(id));
    number(t.modified(id));
    number(t.accessedSeconds(id));
    text += "\r\n";
    if (!flush(1 << 16)) return fail(Errc::io, "export");
  }
  return flush(0) ? Result<void>{} : Result<void>(fail(Errc::io, "export"));
}

/// Cuts input into lines, unpacking it first if it is compressed. A line may not be longer than a megabyte.
class Lines {
public:
  Lines(const ByteSource& source, bool packed)
      : source_(source), stream_(packed ? ZSTD_createDCtx() : nullptr) {}

  /// nullopt at the end, and when something is wrong: then `problem` is set.
  std::optional<std::string> next() {
    for (;;) {
      if (const auto end = text_.find('\n', from_); end != std::string::npos) {
        std::string line = text_.substr(from_, end - from_);
        from_ = end + 1;
        ++number;
        return line;
      }
      text_.erase(0, from_);
      from_ = 0;
      if (text_.size() > mostLine) return problem = Errc::badInput, std::nullopt;
      if (!more()) break;
    }
    if (problem || text_.empty()) return std::nullopt;
    ++number;
    return std::exchange(text_, {});
  }

  std::optional<Errc> problem;
  std::size_t number = 0;

private:
  bool more() {
    if (!stream_) {
      auto piece = source_();
      if (!piece) problem = Errc::io;
      if (!piece || piece->empty()) return false;
      text_ += *piece;
      return true;
    }
    if (packedAt_ == packed_.size()) {
      auto piece = source_();
      if (!piece) return problem = Errc::io, false;
      if (piece->empty()) {
        if (unfinished_ != 0) problem = Errc::badInput;  // cut off
        return false;
      }
      packed_ = std::move(*piece);
      packedAt_ = 0;
    }
    std::string room(ZSTD_DStreamOutSize(), '\0');
    ZSTD_inBuffer in{packed_.data(), packed_.size(), packedAt_};
    ZSTD_outBuffer out{room.data(), room.size(), 0};
    unfinished_ = ZSTD_decompressStream(stream_.get(), &out, &in);
    if (ZSTD_isError(unfinished_) != 0) return problem = number == 0 ? Errc::notOurs : Errc::badInput, false;
    packedAt_ = in.pos;
    text_.append(room.data(), out.pos);
    return true;
  }

  struct Free {
    void operator()(ZSTD_DCtx* d) const { ZSTD_freeDCtx(d); }
  };
  const ByteSource& source_;
  std::unique_ptr<ZSTD_DCtx, Free> stream_;
  std::string packed_;
  std::size_t packedAt_ = 0;
  std::size_t unfinished_ = 1;
  std::string text_;
  std::size_t from_ = 0;
};

/// Whole numbers out of a JSON object; anything else makes it fail.
class Fields {
public:
  explicit Fields(const Json& json) : json_(json) {}
  template <class T>
  void get(const char* key, T& into, bool needed = true) {
    const auto at = json_.find(key);
    if (at == json_.end()) return void(ok = ok && !needed);
    if constexpr (std::is_same_v<T, bool>) {
      ok = ok && at->is_boolean();
      if (ok) into = at->get<bool>();
    } else if constexpr (std::is_signed_v<T>) {
      ok = ok && at->is_number_integer() &&
           (!at->is_number_unsigned() || at->get<std::uint64_t>() <= INT64_MAX);
      if (ok) into = at->get<T>();
    } else {
      ok = ok && at->is_number_unsigned() &&
           at->get<std::uint64_t>() <= std::min<std::uint64_t>(std::numeric_limits<T>::max(), INT64_MAX);
      if (ok) into = at->get<T>();
    }
  }
  std::string text(const char* key, std::size_t most) {
    const auto at = json_.find(key);
    if (at == json_.end() || !at->is_string() || at->get_ref<const std::string&>().size() > most)
      return ok = false, std::string{};
    return at->get<std::string>();
  }
  bool ok = true;

private:
  const Json& json_;
};

bool headFrom(const Json& j, Survey& s, NodeId& entries) {
  Fields f(j);
  s.root = unescapePath(f.text("root", mostLine));
  s.mountTarget = s.root;
  s.driveId = f.text("drive", 4096);
  s.fsType = f.text("fs_type", 256);
  f.get("whole_drive", s.wholeDrive);
  f.get("partial", s.partial);
  f.get("started_ns", s.started);
  f.get("finished_ns", s.finished);
  f.get("entries", entries);
  f.get("capacity_bytes", s.usage.capacity);
  f.get("free_bytes", s.usage.free);
  f.get("available_bytes", s.usage.available);
  f.get("inodes", s.usage.inodes);
  f.get("inodes_free", s.usage.inodesFree);
  s.statement.capacity = s.usage.capacity;
  const Json lines = j.value("statement", Json());
  const Json sources = j.value("sources", Json());
  if (!f.ok || !lines.is_object() || !sources.is_object()) return false;
  for (std::size_t i = 0; i < statementLines; ++i) {
    const std::string key(name(static_cast<StatementLine>(i)));
    Fields line(lines);
    line.get(key.c_str(), s.statement.lines[i]);
    const Json source = sources.value(key, Json());
    for (int k = 0; k < lineSources; ++k)
      if (source == name(static_cast<LineSource>(k))) s.statement.sources[i] = static_cast<LineSource>(k);
    constexpr SignedBytes most = SignedBytes{1} << 58;  // nine of them still fit
    if (!line.ok || s.statement.lines[i] > most || s.statement.lines[i] < -most) return false;
  }
  return true;
}

bool entryFrom(const Json& j, bool root, TreeBuilder& tree) {
  if (!j.is_object()) return false;
  Fields f(j);
  EntryStat stat;
  const auto kind = kindFrom(f.text("kind", 16));
  f.get("length_bytes", stat.length);
  f.get("occupied_bytes", stat.occupied);
  f.get("inode", stat.inode);
  f.get("owner", stat.owner);
  f.get("modified_ns", stat.modified);
  f.get("links", stat.links, false);
  f.get("device", stat.device, false);
  std::uint32_t accessed = 0;
  f.get("accessed_s", accessed, false);
  stat.accessed = TimeNs{accessed} * nsPerSecond;
  TreeBuilder::Number in = 0;
  std::string name;
  if (!root) {
    f.get("in", in);
    name = unescapePath(f.text("name", 2000));
  }
  if (!f.ok || !kind) return false;
  stat.kind = *kind;
  return tree.add(in, name, stat).has_value();
}

Result<SurveyPtr> importJsonLines(const ByteSource& source) {
  Lines lines(source, true);
  const auto bad = [&](Errc code = Errc::badInput) {
    return fail(lines.problem.value_or(code), "import", {}, "line " + std::to_string(lines.number));
  };
  const auto first = lines.next();
  const Json head = first ? Json::parse(*first, nullptr, false) : Json();
  if (!head.is_object() || head.value("format", Json()) != format) return bad(Errc::notOurs);
  if (head.value("version", Json()) != exchangeVersion) return bad(Errc::tooNew);
  auto survey = std::make_shared<Survey>();
  NodeId entries = 0;
  if (!headFrom(head, *survey, entries)) return bad();
  TreeBuilder tree;
  while (const auto line = lines.next()) {
    const Json j = Json::parse(*line, nullptr, false);
    if (!entryFrom(j, tree.size() == 0, tree)) return bad();
  }
  if (lines.problem || tree.size() != entries) return bad();
  if (auto built = tree.build(survey->tree); !built) return tl::unexpected(built.error());
  survey->imported = true;
  return SurveyPtr(std::move(survey));
}

/// The next record of a CSV file, which may span lines inside quotes.
std::optional<std::vector<std::string>> csvRecord(Lines& lines) {
  auto line = lines.next();
  if (!line) return std::nullopt;
  std::vector<std::string> cells(1);
  bool quoted = false;
  for (std::size_t at = 0;; ++at) {
    if (at == line->size()) {
      if (!quoted) break;
      auto more = lines.next();
      if (!more || cells.back().size() > mostLine) return lines.problem = Errc::badInput, std::nullopt;
      cells.back() += '\n';
      line = std::move(more);
      at = static_cast<std::size_t>(-1);
      continue;
    }
    const char c = (*line)[at];
    if (c == '"' && quoted && at + 1 < line->size() && (*line)[at + 1] == '"')
      cells.back() += '"', ++at;
    else if (c == '"')
      quoted = !quoted;
    else if (c == ',' && !quoted)
      cells.emplace_back();
    else if (c != '\r' || quoted || at + 1 != line->size())
      cells.back() += c;
  }
  return cells;
}

template <class T>
bool number(const std::string& text, T& into) {
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), into);
  return problem == std::errc{} && end == text.data() + text.size();
}

/// Adds a record's entry below the folder that its path names.
bool rowFrom(const std::vector<std::string>& cells, TreeBuilder& tree) {
  if (cells.size() != 10) return false;
  EntryStat stat;
  std::uint32_t accessed = 0;
  const auto kind = kindFrom(cells[1]);
  if (!kind || !number(cells[2], stat.length) || !number(cells[3], stat.occupied) ||
      !number(cells[4], stat.links) || !number(cells[5], stat.inode) || !number(cells[6], stat.device) ||
      !number(cells[7], stat.owner) || !number(cells[8], stat.modified) || !number(cells[9], accessed) ||
      stat.length > Bytes{INT64_MAX} || stat.occupied > Bytes{INT64_MAX})
    return false;
  stat.kind = *kind;
  stat.accessed = TimeNs{accessed} * nsPerSecond;
  if (tree.size() == 0) return cells[0] == "." && tree.add(0, {}, stat).has_value();
  if (!cells[0].starts_with("./")) return false;
  const PathBytes path = unescapePath(std::string_view(cells[0]).substr(2));
  TreeBuilder::Number at = 0;
  for (const auto part : splitPath(parentPath(path))) {
    const auto next = tree.child(at, part);
    if (!next) return false;
    at = *next;
  }
  return tree.add(at, baseName(path), stat).has_value();
}

Result<SurveyPtr> importCsv(const ByteSource& source) {
  Lines lines(source, false);
  const auto bad = [&](Errc code = Errc::badInput) {
    return fail(lines.problem.value_or(code), "import", {}, "line " + std::to_string(lines.number));
  };
  const auto head = lines.next();
  if (!head || *head + "\n" != csvHead) return bad(Errc::notOurs);
  TreeBuilder tree;
  while (const auto cells = csvRecord(lines))
    if (!rowFrom(*cells, tree)) return bad();
  if (lines.problem || tree.size() == 0) return bad();
  auto survey = std::make_shared<Survey>();
  if (auto built = tree.build(survey->tree); !built) return tl::unexpected(built.error());
  survey->imported = true;
  survey->root = survey->mountTarget = "/";
  survey->finished = survey->started = survey->tree.totals(0).newest;
  survey->statement.capacity = survey->usage.capacity = survey->tree.totals(0).occupied;
  survey->statement.put(StatementLine::files, survey->usage.capacity, LineSource::walked);
  return SurveyPtr(std::move(survey));
}

}  // namespace

std::optional<ExchangeForm> exchangeFormOf(std::string_view fileName) {
  if (fileName.ends_with(".jsonl.zst")) return ExchangeForm::jsonLines;
  if (fileName.ends_with(".csv")) return ExchangeForm::csv;
  return std::nullopt;
}

Result<void> exportSurvey(const Survey& survey, ExchangeForm form, const ByteSink& sink) {
  return form == ExchangeForm::jsonLines ? exportJsonLines(survey, sink) : exportCsv(survey, sink);
}

Result<SurveyPtr> importSurvey(ExchangeForm form, const ByteSource& source) {
  return form == ExchangeForm::jsonLines ? importJsonLines(source) : importCsv(source);
}

}  // namespace zt
