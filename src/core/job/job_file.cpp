// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/job_file.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>

#include "core/os/paths.h"
#include "core/plan/plan_json.h"

namespace zt {

namespace {

constexpr int applicationId = 0x5A54414C;  // "ZTAL"
constexpr int schemaVersion = 1;

constexpr const char* schema = R"(
CREATE TABLE document(key TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE survey(id INTEGER PRIMARY KEY, taken INTEGER NOT NULL);
CREATE TABLE survey_piece(survey INTEGER NOT NULL, seq INTEGER NOT NULL, data BLOB NOT NULL, PRIMARY KEY(survey, seq));
CREATE TABLE find(seq INTEGER PRIMARY KEY, data TEXT NOT NULL);
CREATE TABLE run(id INTEGER PRIMARY KEY, survey INTEGER NOT NULL, started INTEGER NOT NULL, finished INTEGER NOT NULL,
                 free_before INTEGER NOT NULL, plan TEXT NOT NULL, outcome TEXT NOT NULL);
CREATE TABLE journal(run INTEGER NOT NULL, seq INTEGER NOT NULL, line TEXT NOT NULL, action INTEGER NOT NULL, path BLOB NOT NULL,
                     hold BLOB NOT NULL, put_at BLOB NOT NULL, identity TEXT NOT NULL, state INTEGER NOT NULL,
                     promised INTEGER NOT NULL, freed INTEGER NOT NULL, links_remain INTEGER NOT NULL,
                     problem INTEGER NOT NULL, detail TEXT NOT NULL, PRIMARY KEY(run, seq)) WITHOUT ROWID;
)";

Errc codeOf(int sqlite) {
  switch (sqlite) {
    case SQLITE_FULL:
      return Errc::noSpace;
    case SQLITE_BUSY:
    case SQLITE_LOCKED:
      return Errc::busy;
    case SQLITE_CORRUPT:
      return Errc::corrupt;
    case SQLITE_NOTADB:
      return Errc::notOurs;
    case SQLITE_READONLY:
    case SQLITE_PERM:
    case SQLITE_AUTH:
    case SQLITE_CANTOPEN:
      return Errc::notPermitted;
    default:
      return Errc::io;
  }
}

/// Runs database work; its exceptions end here.
template <class Work>
auto guarded(const PathBytes& path, Work work) -> Result<decltype(work())> {
  try {
    if constexpr (std::is_void_v<decltype(work())>) {
      work();
      return {};
    } else {
      return work();
    }
  } catch (const SQLite::Exception& e) {
    return fail(codeOf(e.getErrorCode()), "job-file", path, e.what());
  }
}

void configure(SQLite::Database& db) {
  db.exec("PRAGMA locking_mode=EXCLUSIVE");
  db.exec("PRAGMA journal_mode=WAL");
  db.exec("PRAGMA synchronous=FULL");
  db.exec("PRAGMA trusted_schema=OFF");
}

int pragma(SQLite::Database& db, const char* name) {
  return db.execAndGet(std::string("PRAGMA ") + name).getInt();
}

void bindBlob(SQLite::Statement& s, int index, const std::string& bytes) {
  s.bind(index, static_cast<const void*>(bytes.data()), static_cast<int>(bytes.size()));
}

std::string blob(const SQLite::Column& column) {
  const auto* data = static_cast<const char*>(column.getBlob());
  return data == nullptr ? std::string{} : std::string(data, static_cast<std::size_t>(column.getBytes()));
}

std::int64_t toInt(Bytes bytes) {
  return static_cast<std::int64_t>(bytes);
}

bool readRecord(SQLite::Statement& q, JournalRecord& r) {
  r.run = q.getColumn(0).getInt64();
  r.seq = q.getColumn(1).getInt64();
  r.line = q.getColumn(2).getString();
  const int action = q.getColumn(3).getInt();
  r.path = blob(q.getColumn(4));
  r.holdFolder = blob(q.getColumn(5));
  r.putAt = blob(q.getColumn(6));
  const auto identity = nlohmann::json::parse(q.getColumn(7).getString(), nullptr, false);
  const int state = q.getColumn(8).getInt();
  r.promised = static_cast<Bytes>(q.getColumn(9).getInt64());
  r.freed = static_cast<Bytes>(q.getColumn(10).getInt64());
  r.linksRemain = static_cast<Bytes>(q.getColumn(11).getInt64());
  r.problem = static_cast<Errc>(std::clamp(q.getColumn(12).getInt(), 0, static_cast<int>(Errc::io)));
  r.detail = q.getColumn(13).getString();
  const bool holdFits = r.holdFolder.empty() || plainRelative(r.holdFolder);
  if (action < 0 || action > 1 || state < 0 || state >= itemStates || !plainRelative(r.path) || !holdFits)
    return false;
  r.action = static_cast<StepAction>(action);
  r.state = static_cast<ItemState>(state);
  const auto id = identityFromJson(identity);
  if (!id) return false;
  r.identity = *id;
  return true;
}

/// Whether the file is as long as its own header says (SQLite file format, bytes 16 and 28). A short last
/// page reads as zeros, which SQLite does not always notice. With a write-ahead log the header may be behind,
/// and SQLite settles it.
bool wholeLength(const PathBytes& path) {
  if (exists(path + "-wal")) return true;
  const auto head = readHead(path, 32);
  if (!head || head->bytes.size() < 32) return false;
  const auto byte = [&](std::size_t at) {
    return static_cast<std::uint64_t>(static_cast<unsigned char>(head->bytes[at]));
  };
  std::uint64_t page = byte(16) << 8 | byte(17);
  if (page == 1) page = 65536;
  return head->size == page * (byte(28) << 24 | byte(29) << 16 | byte(30) << 8 | byte(31));
}

}  // namespace

JobFile::JobFile(PathBytes path, std::unique_ptr<SQLite::Database> db)
    : path_(std::move(path)), db_(std::move(db)) {}
JobFile::~JobFile() = default;

Result<std::unique_ptr<JobFile>> JobFile::create(const PathBytes& path) {
  if (!path.empty() && exists(path)) return fail(Errc::taken, "job-file", path);
  return guarded(path, [&] {
    auto db = std::make_unique<SQLite::Database>(path.empty() ? ":memory:" : path,
                                                 SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
    configure(*db);
    SQLite::Transaction all(*db);
    db->exec("PRAGMA application_id=" + std::to_string(applicationId));
    db->exec("PRAGMA user_version=" + std::to_string(schemaVersion));
    db->exec(schema);
    all.commit();
    return std::unique_ptr<JobFile>(new JobFile(path, std::move(db)));
  });
}

Result<std::unique_ptr<JobFile>> JobFile::open(const PathBytes& path) {
  if (!exists(path)) return fail(Errc::notThere, "job-file", path);
  Errc refusal = Errc::io;
  const bool whole = wholeLength(path);  // before SQLite makes a log beside it
  auto opened = guarded(path, [&]() -> std::unique_ptr<JobFile> {
    auto db = std::make_unique<SQLite::Database>(path, SQLite::OPEN_READWRITE);
    refusal = Errc::notOurs;
    if (pragma(*db, "application_id") != applicationId) return nullptr;
    refusal = Errc::tooNew;
    if (pragma(*db, "user_version") > schemaVersion) return nullptr;
    refusal = Errc::corrupt;
    if (!whole) return nullptr;
    configure(*db);
    if (db->execAndGet("PRAGMA quick_check(1)").getString() != "ok") return nullptr;
    return std::unique_ptr<JobFile>(new JobFile(path, std::move(db)));
  });
  if (opened && *opened == nullptr) return fail(refusal, "job-file", path);
  return opened;
}

void JobFile::limitPages(int pages) {
  db_->exec("PRAGMA max_page_count=" + std::to_string(pages));
}

Result<void> JobFile::put(const std::string& key, const std::string& document) {
  return guarded(path_, [&] {
    SQLite::Statement q(*db_, "INSERT OR REPLACE INTO document VALUES(?,?)");
    q.bind(1, key);
    q.bind(2, document);
    q.exec();
  });
}

Result<std::optional<std::string>> JobFile::get(const std::string& key) {
  return guarded(path_, [&]() -> std::optional<std::string> {
    SQLite::Statement q(*db_, "SELECT value FROM document WHERE key=?");
    q.bind(1, key);
    if (!q.executeStep()) return std::nullopt;
    return q.getColumn(0).getString();
  });
}

Result<void> JobFile::putSurvey(const std::vector<std::string>& pieces, const std::vector<std::string>& finds,
                                TimeNs taken) {
  return guarded(path_, [&] {
    SQLite::Transaction all(*db_);
    SQLite::Statement survey(*db_, "INSERT INTO survey(taken) VALUES(?)");
    survey.bind(1, taken);
    survey.exec();
    const std::int64_t id = db_->getLastInsertRowid();
    SQLite::Statement put(*db_, "INSERT INTO survey_piece VALUES(?,?,?)");
    for (std::size_t i = 0; i < pieces.size(); ++i) {
      put.bind(1, id);
      put.bind(2, static_cast<std::int64_t>(i));
      bindBlob(put, 3, pieces[i]);
      put.exec();
      put.reset();
    }
    db_->exec("DELETE FROM find");
    SQLite::Statement find(*db_, "INSERT INTO find VALUES(?,?)");
    for (std::size_t i = 0; i < finds.size(); ++i) {
      find.bind(1, static_cast<std::int64_t>(i));
      find.bind(2, finds[i]);
      find.exec();
      find.reset();
    }
    const std::string between = " NOT IN (SELECT min(id) FROM survey) AND ";
    db_->exec("DELETE FROM survey_piece WHERE survey" + between +
              "survey NOT IN (SELECT max(id) FROM survey)");
    db_->exec("DELETE FROM survey WHERE id" + between + "id NOT IN (SELECT max(id) FROM survey)");
    all.commit();
  });
}

Result<std::vector<std::string>> JobFile::newestSurvey() {
  return guarded(path_, [&] {
    std::vector<std::string> pieces;
    SQLite::Statement q(
        *db_, "SELECT data FROM survey_piece WHERE survey=(SELECT max(id) FROM survey) ORDER BY seq");
    while (q.executeStep()) pieces.push_back(blob(q.getColumn(0)));
    return pieces;
  });
}

Result<std::vector<std::string>> JobFile::finds() {
  return guarded(path_, [&] {
    std::vector<std::string> all;
    SQLite::Statement q(*db_, "SELECT data FROM find ORDER BY seq");
    while (q.executeStep()) all.push_back(q.getColumn(0).getString());
    return all;
  });
}

Result<std::int64_t> JobFile::beginRun(TimeNs now, Bytes freeBefore, const std::string& plan) {
  return guarded(path_, [&] {
    SQLite::Statement q(*db_,
                        "INSERT INTO run(survey,started,finished,free_before,plan,outcome) "
                        "VALUES((SELECT ifnull(max(id),0) FROM survey),?,0,?,?,'')");
    q.bind(1, now);
    q.bind(2, toInt(freeBefore));
    q.bind(3, plan);
    q.exec();
    return std::int64_t{db_->getLastInsertRowid()};
  });
}

Result<void> JobFile::endRun(std::int64_t run, TimeNs now, const std::string& outcome) {
  return guarded(path_, [&] {
    SQLite::Statement q(*db_, "UPDATE run SET finished=?, outcome=? WHERE id=?");
    q.bind(1, now);
    q.bind(2, outcome);
    q.bind(3, run);
    q.exec();
  });
}

Result<std::vector<JobFile::RunRow>> JobFile::runs(bool all) {
  return guarded(path_, [&] {
    std::vector<RunRow> rows;
    const std::string where = all ? "" : " WHERE survey=(SELECT ifnull(max(id),0) FROM survey)";
    SQLite::Statement q(
        *db_, "SELECT id,started,finished,free_before,survey,plan,outcome FROM run" + where + " ORDER BY id");
    while (q.executeStep())
      rows.push_back({q.getColumn(0).getInt64(), q.getColumn(1).getInt64(), q.getColumn(2).getInt64(),
                      static_cast<Bytes>(q.getColumn(3).getInt64()), q.getColumn(4).getInt64(),
                      q.getColumn(5).getString(), q.getColumn(6).getString()});
    return rows;
  });
}

Result<void> JobFile::write(std::span<const JournalRecord> records) {
  return guarded(path_, [&] {
    SQLite::Transaction all(*db_);
    SQLite::Statement q(*db_, "INSERT OR REPLACE INTO journal VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?)");
    for (const JournalRecord& r : records) {
      q.bind(1, r.run);
      q.bind(2, r.seq);
      q.bind(3, r.line);
      q.bind(4, static_cast<int>(r.action));
      bindBlob(q, 5, r.path);
      bindBlob(q, 6, r.holdFolder);
      bindBlob(q, 7, r.putAt);
      q.bind(8, toJson(r.identity).dump());
      q.bind(9, static_cast<int>(r.state));
      q.bind(10, toInt(r.promised));
      q.bind(11, toInt(r.freed));
      q.bind(12, toInt(r.linksRemain));
      q.bind(13, static_cast<int>(r.problem));
      q.bind(14, r.detail);
      q.exec();
      q.reset();
    }
    all.commit();
  });
}

Result<std::vector<JournalRecord>> JobFile::records(std::int64_t run, std::span<const ItemState> states) {
  bool good = true;
  auto rows = guarded(path_, [&] {
    std::vector<JournalRecord> found;
    SQLite::Statement q(*db_, "SELECT * FROM journal WHERE ?1=0 OR run=?1 ORDER BY run, seq");
    q.bind(1, run);
    while (q.executeStep()) {
      JournalRecord r;
      good = good && readRecord(q, r);
      if (states.empty() || std::find(states.begin(), states.end(), r.state) != states.end())
        found.push_back(std::move(r));
    }
    return found;
  });
  if (rows && !good) return fail(Errc::corrupt, "journal", path_);
  return rows;
}

}  // namespace zt
