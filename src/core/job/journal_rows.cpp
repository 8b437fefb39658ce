// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/journal_rows.h"

#include <array>

#include "core/plan/plan_json.h"

namespace zt::journal_rows {

namespace {

std::int64_t toInt(Bytes bytes) {
  return static_cast<std::int64_t>(bytes);
}

/// What a kind of step keeps for itself; empty if there is nothing.
std::string payloadOf(const JournalRecord& r) {
  if (r.holdFolder.empty() && r.putAt.empty() && r.device == 0 && r.payload.empty() && r.parameters.empty())
    return {};
  Json j = Json::object();
  if (!r.holdFolder.empty()) putPath(j, "held_in", r.holdFolder);
  if (!r.putAt.empty()) putPath(j, "put_at", r.putAt);
  if (r.device != 0) j["device"] = r.device;
  if (!r.payload.empty()) j["own"] = r.payload;
  if (!r.parameters.empty()) j["parameters"] = toJson(r.parameters);
  return j.dump();
}

bool readPayload(const std::string& text, JournalRecord& r) {
  if (text.empty()) return true;
  const Json json = parseJson(text);
  JsonReader in(json);
  r.holdFolder = in.pathOr("held_in");
  r.putAt = in.pathOr("put_at");
  r.device = in.numberOr<std::uint64_t>("device", 0);
  r.payload = in.textOr("own", {}, std::size_t{1} << 20);
  r.parameters = readParameters(in, "parameters");
  const bool plain = r.holdFolder.empty() || plainRelative(r.holdFolder);
  return json.is_object() && in.ok() && plain;
}

template <class Enum>
bool byName(const std::string& text, int count, Enum& into) {
  for (int i = 0; i < count; ++i)
    if (name(static_cast<Enum>(i)) == text) return into = static_cast<Enum>(i), true;
  return false;
}

void bindChanging(SQLite::Statement& q, int at, const JournalRecord& r) {
  q.bind(at, std::string(name(r.state)));
  q.bind(at + 1, toInt(r.freed.sure));
  q.bind(at + 2, toInt(r.freed.atMost));
  q.bind(at + 3, toInt(r.linksRemain));
  if (r.problem)
    q.bind(at + 4, std::string(name(*r.problem)));
  else
    q.bind(at + 4);
  q.bind(at + 5, r.detail);
  q.bind(at + 6, payloadOf(r));
}

}  // namespace

void write(SQLite::Database& db, std::span<const JournalRecord> records) {
  SQLite::Statement update(
      db,
      "UPDATE journal SET state=?,freed_sure=?,freed_at_most=?,links_remain=?,problem=?,detail=?,"
      "payload=? WHERE run=? AND seq=?");
  SQLite::Statement insert(
      db,
      "INSERT INTO journal(run,seq,line,action,path,identity,occupied,promised_sure,"
      "promised_at_most,state,freed_sure,freed_at_most,links_remain,problem,detail,payload) "
      "VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)");
  for (const JournalRecord& r : records) {
    update.reset();
    bindChanging(update, 1, r);
    update.bind(8, r.run);
    update.bind(9, r.seq);
    if (update.exec() > 0) continue;
    insert.reset();
    insert.bind(1, r.run);
    insert.bind(2, r.seq);
    insert.bind(3, r.line);
    insert.bind(4, r.action);
    sqlite::bindBlob(insert, 5, r.path);
    insert.bind(6, toJson(r.identity).dump());
    insert.bind(7, toInt(r.occupied));
    insert.bind(8, toInt(r.promised.sure));
    insert.bind(9, toInt(r.promised.atMost));
    bindChanging(insert, 10, r);
    insert.exec();
  }
}

bool read(SQLite::Statement& q, JournalRecord& r) {
  const auto bytes = [&](int column) { return static_cast<Bytes>(q.getColumn(column).getInt64()); };
  r.run = q.getColumn(0).getInt64();
  r.seq = q.getColumn(1).getInt64();
  r.line = q.getColumn(2).getString();
  r.action = q.getColumn(3).getString();
  r.path = sqlite::blob(q.getColumn(4));
  const Json identity = parseJson(q.getColumn(5).getString());
  JsonReader in(identity);
  r.identity = readIdentity(in);
  const bool known = byName(q.getColumn(6).getString(), itemStates, r.state);
  r.occupied = bytes(7);
  r.promised = {bytes(8), bytes(9)};
  r.freed = {bytes(10), bytes(11)};
  r.linksRemain = bytes(12);
  if (!q.getColumn(13).isNull()) {
    r.problem = Errc::io;
    if (!byName(q.getColumn(13).getString(), errorCodes, *r.problem)) return false;
  }
  r.detail = q.getColumn(14).getString();
  return known && in.ok() && plainRelative(r.path) && readPayload(q.getColumn(15).getString(), r);
}

namespace {

/// Problems in the order of the first version, which kept their numbers; the last one stood for none.
constexpr std::array<Errc, 23> problemsOfVersion1{
    Errc::notThere, Errc::notPermitted, Errc::notAFolder,  Errc::notAFile,    Errc::taken,
    Errc::noSpace,  Errc::otherDevice,  Errc::outsideRoot, Errc::changed,     Errc::bedrock,
    Errc::inUse,    Errc::badInput,     Errc::corrupt,     Errc::notOurs,     Errc::tooNew,
    Errc::conflict, Errc::noConsent,    Errc::tooManyOpen, Errc::unsupported, Errc::cancelled,
    Errc::onDrive,  Errc::busy,         Errc::imported};

/// A row of the first version: run, seq, line, action, path, hold, put_at, identity, state, promised, freed,
/// links_remain, problem, detail.
bool readVersion1(SQLite::Statement& q, JournalRecord& r) {
  constexpr int statesThen = 8;
  r.run = q.getColumn(0).getInt64();
  r.seq = q.getColumn(1).getInt64();
  r.line = q.getColumn(2).getString();
  const int action = q.getColumn(3).getInt();
  r.path = sqlite::blob(q.getColumn(4));
  r.holdFolder = sqlite::blob(q.getColumn(5));
  r.putAt = sqlite::blob(q.getColumn(6));
  const Json identity = parseJson(q.getColumn(7).getString());
  JsonReader in(identity);
  r.identity = readIdentity(in);
  const int state = q.getColumn(8).getInt();
  if (action < 0 || action > 1 || state < 0 || state >= statesThen || !in.ok() || !plainRelative(r.path))
    return false;
  r.action = action == 0 ? "discard" : "hold";
  r.state = static_cast<ItemState>(state);
  r.occupied = static_cast<Bytes>(q.getColumn(9).getInt64());
  if (action == 0) r.promised = {r.occupied, r.occupied};
  const auto freed = static_cast<Bytes>(q.getColumn(10).getInt64());
  r.freed = {freed, freed};
  r.linksRemain = static_cast<Bytes>(q.getColumn(11).getInt64());
  const int problem = q.getColumn(12).getInt();
  if (problem >= 0 && static_cast<std::size_t>(problem) < problemsOfVersion1.size())
    r.problem = problemsOfVersion1[static_cast<std::size_t>(problem)];
  r.detail = q.getColumn(13).getString();
  return r.holdFolder.empty() || plainRelative(r.holdFolder);
}

}  // namespace

bool moveVersion1(SQLite::Database& db) {
  db.exec("ALTER TABLE journal RENAME TO journal_1");
  db.exec(table);
  {
    SQLite::Statement rows(db, "SELECT * FROM journal_1 ORDER BY run, seq");
    while (rows.executeStep()) {
      JournalRecord r;
      if (!readVersion1(rows, r)) return false;
      write(db, std::span(&r, 1));
    }
  }
  db.exec("DROP TABLE journal_1");
  return true;
}

}  // namespace zt::journal_rows
