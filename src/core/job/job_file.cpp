// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/job_file.h"

#include <algorithm>

#include "core/job/journal_rows.h"
#include "core/os/paths.h"

namespace zt {

namespace {

constexpr int applicationId = 0x5A54414C;  // "ZTAL"
constexpr int schemaVersion = 2;

constexpr const char* schema = R"(
CREATE TABLE document(key TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE survey(id INTEGER PRIMARY KEY, taken INTEGER NOT NULL);
CREATE TABLE survey_piece(survey INTEGER NOT NULL, seq INTEGER NOT NULL, data BLOB NOT NULL, PRIMARY KEY(survey, seq));
CREATE TABLE find(seq INTEGER PRIMARY KEY, data TEXT NOT NULL);
CREATE TABLE run(id INTEGER PRIMARY KEY, survey INTEGER NOT NULL, started INTEGER NOT NULL, finished INTEGER NOT NULL,
                 free_before INTEGER NOT NULL, plan TEXT NOT NULL, outcome TEXT NOT NULL);
)";
constexpr const char* creditTable =
    "CREATE TABLE credit(run INTEGER NOT NULL, line TEXT NOT NULL, rose INTEGER NOT NULL, PRIMARY KEY(run, "
    "line)) "
    "WITHOUT ROWID";

template <class Work>
auto guarded(const PathBytes& path, Work work) {
  return sqlite::guarded("job-file", path, std::move(work));
}

void configure(SQLite::Database& db) {
  db.exec("PRAGMA locking_mode=EXCLUSIVE");
  db.exec("PRAGMA journal_mode=WAL");
  db.exec("PRAGMA synchronous=FULL");
  db.exec("PRAGMA trusted_schema=OFF");
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

/// Brings a file of the first version to this one, or leaves it as it was. Its runs kept no readings of the
/// counter: what they counted themselves is all that is known.
bool upgrade(SQLite::Database& db) {
  SQLite::Transaction all(db);
  if (!journal_rows::moveVersion1(db)) return false;
  db.exec(creditTable);
  db.exec("INSERT INTO credit SELECT run, line, sum(freed_at_most) FROM journal GROUP BY run, line");
  db.exec("PRAGMA user_version=" + std::to_string(schemaVersion));
  all.commit();
  return true;
}

void putDocuments(SQLite::Database& db, const JobFile::Documents& documents) {
  SQLite::Statement q(db, "INSERT OR REPLACE INTO document VALUES(?,?)");
  for (const auto& [key, value] : documents) {
    q.reset();
    q.bind(1, key);
    q.bind(2, value);
    q.exec();
  }
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
    db->exec(journal_rows::table);
    db->exec(creditTable);
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
    if (sqlite::pragma(*db, "application_id") != applicationId) return nullptr;
    refusal = Errc::tooNew;
    const int version = sqlite::pragma(*db, "user_version");
    if (version > schemaVersion) return nullptr;
    refusal = Errc::corrupt;
    if (!whole || version < 1) return nullptr;
    configure(*db);
    if (db->execAndGet("PRAGMA quick_check(1)").getString() != "ok") return nullptr;
    if (version == 1 && !upgrade(*db)) return nullptr;
    return std::unique_ptr<JobFile>(new JobFile(path, std::move(db)));
  });
  if (opened && *opened == nullptr) return fail(refusal, "job-file", path);
  return opened;
}

void JobFile::limitPages(int pages) {
  db_->exec("PRAGMA max_page_count=" + std::to_string(pages));
}

Result<void> JobFile::put(const Documents& documents) {
  return guarded(path_, [&] {
    SQLite::Transaction all(*db_);
    putDocuments(*db_, documents);
    all.commit();
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
                                TimeNs taken, const Documents& documents) {
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
      sqlite::bindBlob(put, 3, pieces[i]);
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
    putDocuments(*db_, documents);
    all.commit();
  });
}

Result<std::vector<std::string>> JobFile::newestSurvey() {
  return guarded(path_, [&] {
    std::vector<std::string> pieces;
    SQLite::Statement q(
        *db_, "SELECT data FROM survey_piece WHERE survey=(SELECT max(id) FROM survey) ORDER BY seq");
    while (q.executeStep()) pieces.push_back(sqlite::blob(q.getColumn(0)));
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
    q.bind(2, static_cast<std::int64_t>(freeBefore));
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

Result<std::vector<JobFile::RunRow>> JobFile::runs() {
  return guarded(path_, [&] {
    std::vector<RunRow> rows;
    SQLite::Statement q(*db_, "SELECT id,started,finished,free_before,plan,outcome FROM run ORDER BY id");
    while (q.executeStep())
      rows.push_back({q.getColumn(0).getInt64(), q.getColumn(1).getInt64(), q.getColumn(2).getInt64(),
                      static_cast<Bytes>(q.getColumn(3).getInt64()), q.getColumn(4).getString(),
                      q.getColumn(5).getString()});
    return rows;
  });
}

Result<void> JobFile::addCredits(const std::vector<Credit>& credits) {
  return guarded(path_, [&] {
    SQLite::Transaction all(*db_);
    SQLite::Statement q(
        *db_, "INSERT INTO credit VALUES(?1,?2,?3) ON CONFLICT(run,line) DO UPDATE SET rose=rose+?3");
    for (const Credit& c : credits) {
      q.reset();
      q.bind(1, c.run);
      q.bind(2, c.line);
      q.bind(3, c.rose);
      q.exec();
    }
    all.commit();
  });
}

Result<std::vector<JobFile::Credit>> JobFile::credits() {
  return guarded(path_, [&] {
    std::vector<Credit> all;
    SQLite::Statement q(*db_, "SELECT run,line,rose FROM credit ORDER BY run,line");
    while (q.executeStep())
      all.push_back({q.getColumn(0).getInt64(), q.getColumn(1).getString(), q.getColumn(2).getInt64()});
    return all;
  });
}

Result<void> JobFile::write(std::span<const JournalRecord> records) {
  return guarded(path_, [&] {
    SQLite::Transaction all(*db_);
    journal_rows::write(*db_, records);
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
      good = good && journal_rows::read(q, r);
      if (states.empty() || std::find(states.begin(), states.end(), r.state) != states.end())
        found.push_back(std::move(r));
    }
    return found;
  });
  if (rows && !good) return fail(Errc::corrupt, "journal", path_);
  return rows;
}

}  // namespace zt
