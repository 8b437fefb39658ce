// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/register.h"

#include <algorithm>
#include <array>

#include "core/base/token.h"
#include "core/job/sqlite.h"
#include "core/os/exclusive.h"
#include "core/os/paths.h"

namespace zt {

namespace {

constexpr int applicationId = 0x5A545247;  // "ZTRG"
constexpr int schemaVersion = 7;
constexpr int mostVisits = 1000;
constexpr int patienceMs = 2000;

constexpr const char* schema = R"(
CREATE TABLE overrule(drive TEXT PRIMARY KEY, kind TEXT, size TEXT) WITHOUT ROWID;
CREATE TABLE hold(drive TEXT NOT NULL, folder BLOB NOT NULL, PRIMARY KEY(drive, folder)) WITHOUT ROWID;
)";
/// Since version 5: every visit by itself. Before, one row a drive and job.
constexpr const char* visitTable = R"(
CREATE TABLE visit(drive TEXT NOT NULL, at INTEGER NOT NULL, kind TEXT NOT NULL, job TEXT NOT NULL, file BLOB NOT NULL,
                   root BLOB NOT NULL, capacity INTEGER NOT NULL, free INTEGER NOT NULL, entries INTEGER NOT NULL,
                   whole INTEGER NOT NULL, promised INTEGER NOT NULL, rose INTEGER NOT NULL,
                   PRIMARY KEY(drive, at, kind, job)) WITHOUT ROWID;
CREATE TABLE drive(id TEXT PRIMARY KEY, title TEXT NOT NULL, fs TEXT NOT NULL, capacity INTEGER NOT NULL,
                   first INTEGER NOT NULL, last INTEGER NOT NULL) WITHOUT ROWID;
)";
constexpr const char* fromVersion4 = R"(
INSERT INTO visit SELECT drive,at,'measured',job,file,root,capacity,free,entries,whole,0,0 FROM visit_4;
INSERT INTO drive SELECT drive,'','',max(capacity),min(at),max(at) FROM visit_4 GROUP BY drive;
DROP TABLE visit_4;
)";
/// Since version 2.
constexpr const char* markTable = R"(
CREATE TABLE IF NOT EXISTS mark(drive TEXT NOT NULL, path BLOB NOT NULL, said TEXT NOT NULL, inode INTEGER NOT NULL,
                                folder INTEGER NOT NULL, PRIMARY KEY(drive, path)) WITHOUT ROWID;
)";
/// Since version 3. Titles and times are of a drive, not of a file, yet a join would save nothing here.
constexpr const char* fileTable = R"(
CREATE TABLE IF NOT EXISTS file(drive TEXT NOT NULL, path BLOB NOT NULL, name BLOB NOT NULL, length INTEGER NOT NULL,
                                modified INTEGER NOT NULL, seen INTEGER NOT NULL, title TEXT NOT NULL,
                                PRIMARY KEY(drive, path)) WITHOUT ROWID;
CREATE INDEX IF NOT EXISTS file_by_length ON file(length, name);
CREATE TABLE IF NOT EXISTS said(name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
)";

/// Since version 4. It holds for as long as the file of its path is that long and that old.
constexpr const char* contentTable = R"(
CREATE TABLE IF NOT EXISTS content(drive TEXT NOT NULL, path BLOB NOT NULL, length INTEGER NOT NULL,
                                   modified INTEGER NOT NULL, high INTEGER NOT NULL, low INTEGER NOT NULL,
                                   PRIMARY KEY(drive, path)) WITHOUT ROWID;
CREATE INDEX IF NOT EXISTS content_by_digest ON content(high, low, length);
)";

/// Since version 6.
constexpr const char* loanTable = R"(
CREATE TABLE IF NOT EXISTS loan(drive TEXT NOT NULL, job TEXT NOT NULL, path BLOB NOT NULL, action TEXT NOT NULL,
                                bytes INTEGER NOT NULL, PRIMARY KEY(drive, job, path, action)) WITHOUT ROWID;
)";

/// Since version 7.
constexpr const char* sumTable = R"(
CREATE TABLE IF NOT EXISTS visit_sum(drive TEXT NOT NULL, at INTEGER NOT NULL, job TEXT NOT NULL, by TEXT NOT NULL,
                                     name BLOB NOT NULL, bytes INTEGER NOT NULL,
                                     PRIMARY KEY(drive, at, job, by, name)) WITHOUT ROWID;
)";

template <class Work>
auto guarded(const PathBytes& path, Work work) {
  return sqlite::guarded("register", path, std::move(work));
}

/// A value of an enumeration by its name, if there is one.
template <class Enum>
std::optional<Enum> named(const SQLite::Column& column, int count) {
  if (column.isNull()) return std::nullopt;
  for (int i = 0; i < count; ++i)
    if (name(static_cast<Enum>(i)) == column.getString()) return static_cast<Enum>(i);
  return std::nullopt;
}

template <class Enum>
void bindName(SQLite::Statement& q, int index, std::optional<Enum> value) {
  if (value)
    q.bind(index, std::string(name(*value)));
  else
    q.bind(index);
}

}  // namespace

std::string_view name(VisitKind kind) {
  static constexpr std::array<std::string_view, visitKinds> names{"measured", "ran", "proved"};
  return names[static_cast<std::size_t>(kind)];
}

Register::Register(PathBytes file, std::unique_ptr<SQLite::Database> db)
    : file_(std::move(file)), db_(std::move(db)) {}
Register::~Register() = default;

Result<std::shared_ptr<Register>> Register::open(const PathBytes& file) {
  if (file.empty()) return fail(Errc::notThere, "register");
  if (auto made = makeFolders(PathBytes(parentPath(file))); !made) return tl::unexpected(made.error());
  if (auto own = checkOwn(file); !own) return tl::unexpected(own.error());
  Errc refusal = Errc::io;
  auto opened = guarded(file, [&]() -> std::shared_ptr<Register> {
    auto db =
        std::make_unique<SQLite::Database>(file, SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE, patienceMs);
    db->exec("PRAGMA journal_mode=WAL");
    db->exec("PRAGMA trusted_schema=OFF");
    SQLite::Transaction all(*db, SQLite::TransactionBehavior::IMMEDIATE);
    const int application = sqlite::pragma(*db, "application_id");
    const bool fresh = application == 0 && db->execAndGet("SELECT count(*) FROM sqlite_master").getInt() == 0;
    refusal = Errc::notOurs;
    if (!fresh && application != applicationId) return nullptr;
    refusal = Errc::tooNew;
    if (sqlite::pragma(*db, "user_version") > schemaVersion) return nullptr;
    refusal = Errc::corrupt;
    if (!fresh && db->execAndGet("PRAGMA quick_check(1)").getString() != "ok") return nullptr;
    if (fresh) {
      db->exec("PRAGMA application_id=" + std::to_string(applicationId));
      db->exec(schema);
    }
    const bool older = !fresh && sqlite::pragma(*db, "user_version") < 5;
    // Within the one transaction: whoever is cut short here finds the register as it was.
    if (older) db->exec("ALTER TABLE visit RENAME TO visit_4");
    if (fresh || older) db->exec(visitTable);
    if (older) db->exec(fromVersion4);
    db->exec(markTable);
    db->exec(fileTable);
    db->exec(contentTable);
    db->exec(loanTable);
    db->exec(sumTable);
    db->exec("PRAGMA user_version=" + std::to_string(schemaVersion));
    all.commit();
    return std::shared_ptr<Register>(new Register(file, std::move(db)));
  });
  if (opened && *opened == nullptr) return fail(refusal, "register", file);
  return opened;
}

Result<void> Register::noteDrive(const KnownDrive& d) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    SQLite::Statement q(*db_,
                        "INSERT INTO drive VALUES(?1,?2,?3,?4,?5,?5) ON CONFLICT(id) DO UPDATE SET "
                        "title=?2, fs=?3, capacity=?4, last=max(last,?5)");
    q.bind(1, d.id);
    q.bind(2, d.title);
    q.bind(3, d.fsType);
    q.bind(4, static_cast<std::int64_t>(d.capacity));
    q.bind(5, d.last);
    q.exec();
  });
}

Result<std::vector<KnownDrive>> Register::drives() {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    std::vector<KnownDrive> all;
    SQLite::Statement q(*db_, "SELECT id,title,fs,capacity,first,last FROM drive ORDER BY last DESC, id");
    while (q.executeStep())
      all.push_back({q.getColumn(0).getString(), q.getColumn(1).getString(), q.getColumn(2).getString(),
                     static_cast<Bytes>(q.getColumn(3).getInt64()), q.getColumn(4).getInt64(),
                     q.getColumn(5).getInt64()});
    return all;
  });
}

Result<void> Register::noteVisit(const Visit& v) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    SQLite::Transaction all(*db_, SQLite::TransactionBehavior::IMMEDIATE);
    SQLite::Statement q(*db_, "INSERT OR REPLACE INTO visit VALUES(?,?,?,?,?,?,?,?,?,?,?,?)");
    q.bind(1, v.drive);
    q.bind(2, v.when);
    q.bind(3, std::string(name(v.kind)));
    q.bind(4, v.job);
    sqlite::bindBlob(q, 5, v.file);
    sqlite::bindBlob(q, 6, v.root);
    q.bind(7, static_cast<std::int64_t>(v.capacity));
    q.bind(8, static_cast<std::int64_t>(v.free));
    q.bind(9, static_cast<std::int64_t>(v.entries));
    q.bind(10, static_cast<int>(v.wholeDrive));
    q.bind(11, static_cast<std::int64_t>(v.promised));
    q.bind(12, v.rose);
    q.exec();
    SQLite::Statement old(*db_,
                          "DELETE FROM visit WHERE drive=?1 AND at < (SELECT at FROM visit WHERE drive=?1 "
                          "ORDER BY at DESC LIMIT 1 OFFSET ?2)");
    old.bind(1, v.drive);
    old.bind(2, mostVisits - 1);
    old.exec();
    dropSums(v.drive);
    all.commit();
  });
}

Result<std::vector<Visit>> Register::visits(const std::string& drive) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    std::vector<Visit> all;
    SQLite::Statement q(*db_,
                        "SELECT job,file,root,at,capacity,free,entries,whole,kind,promised,rose FROM visit "
                        "WHERE drive=? ORDER BY at");
    q.bind(1, drive);
    while (q.executeStep()) {
      Visit v;
      v.drive = drive;
      v.job = q.getColumn(0).getString();
      v.file = sqlite::blob(q.getColumn(1));
      v.root = sqlite::blob(q.getColumn(2));
      v.when = q.getColumn(3).getInt64();
      v.capacity = static_cast<Bytes>(q.getColumn(4).getInt64());
      v.free = static_cast<Bytes>(q.getColumn(5).getInt64());
      v.entries = static_cast<std::uint64_t>(q.getColumn(6).getInt64());
      v.wholeDrive = q.getColumn(7).getInt() != 0;
      v.kind = named<VisitKind>(q.getColumn(8), visitKinds).value_or(VisitKind::measured);
      v.promised = static_cast<Bytes>(q.getColumn(9).getInt64());
      v.rose = q.getColumn(10).getInt64();
      all.push_back(std::move(v));
    }
    return all;
  });
}

/// What was counted on visits that are not known any more.
void Register::dropSums(const std::string& drive) {
  SQLite::Statement q(*db_,
                      "DELETE FROM visit_sum WHERE drive=?1 AND NOT EXISTS (SELECT 1 FROM visit v WHERE "
                      "v.drive=?1 AND v.at=visit_sum.at AND v.job=visit_sum.job)");
  q.bind(1, drive);
  q.exec();
}

Result<void> Register::noteSums(const Visit& visit, const std::vector<VisitSum>& sums) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    SQLite::Transaction all(*db_, SQLite::TransactionBehavior::IMMEDIATE);
    SQLite::Statement gone(*db_, "DELETE FROM visit_sum WHERE drive=? AND at=? AND job=?");
    gone.bind(1, visit.drive);
    gone.bind(2, visit.when);
    gone.bind(3, visit.job);
    gone.exec();
    SQLite::Statement put(*db_, "INSERT OR REPLACE INTO visit_sum VALUES(?,?,?,?,?,?)");
    for (const VisitSum& sum : sums) {
      put.reset();
      put.bind(1, visit.drive);
      put.bind(2, visit.when);
      put.bind(3, visit.job);
      put.bind(4, sum.by);
      sqlite::bindBlob(put, 5, sum.name);
      put.bind(6, static_cast<std::int64_t>(sum.bytes));
      put.exec();
    }
    all.commit();
  });
}

std::vector<VisitSum> Register::sums(const Visit& visit) {
  const std::scoped_lock lock(mutex_);
  const auto read = guarded(file_, [&] {
    std::vector<VisitSum> all;
    SQLite::Statement q(*db_,
                        "SELECT by,name,bytes FROM visit_sum WHERE drive=? AND at=? AND job=? ORDER BY "
                        "by DESC, bytes DESC, name");
    q.bind(1, visit.drive);
    q.bind(2, visit.when);
    q.bind(3, visit.job);
    while (q.executeStep())
      all.push_back({q.getColumn(0).getString(), sqlite::blob(q.getColumn(1)),
                     static_cast<Bytes>(std::max<std::int64_t>(0, q.getColumn(2).getInt64()))});
    return all;
  });
  return read.value_or(std::vector<VisitSum>{});
}

Result<std::size_t> Register::forgetVisits(const std::string& drive, TimeNs before) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    SQLite::Transaction all(*db_, SQLite::TransactionBehavior::IMMEDIATE);
    SQLite::Statement q(*db_, "DELETE FROM visit WHERE drive=? AND at<?");
    q.bind(1, drive);
    q.bind(2, before);
    const int gone = q.exec();
    dropSums(drive);
    all.commit();
    return static_cast<std::size_t>(gone);
  });
}

Result<void> Register::setOverrule(const std::string& drive, const DriveOverrule& said) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    SQLite::Statement q(*db_, "INSERT OR REPLACE INTO overrule VALUES(?,?,?)");
    q.bind(1, drive);
    bindName(q, 2, said.kind);
    bindName(q, 3, said.size);
    q.exec();
  });
}

DriveOverrule Register::overrule(const std::string& drive) {
  const std::scoped_lock lock(mutex_);
  const auto said = guarded(file_, [&]() -> DriveOverrule {
    SQLite::Statement q(*db_, "SELECT kind,size FROM overrule WHERE drive=?");
    q.bind(1, drive);
    if (!q.executeStep()) return {};
    return {named<DriveKind>(q.getColumn(0), driveKinds), named<SizeClass>(q.getColumn(1), sizeClasses)};
  });
  return said.value_or(DriveOverrule{});
}

Result<void> Register::noteMarks(const std::string& drive, const Marks& said,
                                 const std::vector<PathBytes>& cleared) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    SQLite::Transaction all(*db_, SQLite::TransactionBehavior::IMMEDIATE);
    SQLite::Statement put(*db_, "INSERT OR REPLACE INTO mark VALUES(?,?,?,?,?)");
    for (const auto& [path, of] : said.all()) {
      put.reset();
      put.bind(1, drive);
      sqlite::bindBlob(put, 2, path);
      put.bind(3, std::string(name(of.mark)));
      put.bind(4, static_cast<std::int64_t>(of.inode));
      put.bind(5, static_cast<int>(of.folder));
      put.exec();
    }
    SQLite::Statement clear(*db_, "DELETE FROM mark WHERE drive=? AND path=?");
    for (const PathBytes& path : cleared) {
      clear.reset();
      clear.bind(1, drive);
      sqlite::bindBlob(clear, 2, path);
      clear.exec();
    }
    all.commit();
  });
}

Marks Register::marks(const std::string& drive) {
  const std::scoped_lock lock(mutex_);
  const auto read = guarded(file_, [&] {
    Marks all;
    SQLite::Statement q(*db_, "SELECT path,said,inode,folder FROM mark WHERE drive=?");
    q.bind(1, drive);
    while (q.executeStep())
      if (const auto said = named<Mark>(q.getColumn(1), markKinds))
        all.put(sqlite::blob(q.getColumn(0)),
                {*said, static_cast<std::uint64_t>(q.getColumn(2).getInt64()), q.getColumn(3).getInt() != 0});
    return all;
  });
  return read.value_or(Marks{});
}

Result<void> Register::noteLargeFiles(const LargeFiles& seen) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    SQLite::Transaction all(*db_, SQLite::TransactionBehavior::IMMEDIATE);
    // '0' is the byte after '/': everything that begins with "top/".
    SQLite::Statement clear(*db_, seen.top.empty() ? "DELETE FROM file WHERE drive=?"
                                                   : "DELETE FROM file WHERE drive=? AND path>=? AND path<?");
    clear.bind(1, seen.drive);
    if (!seen.top.empty()) {
      sqlite::bindBlob(clear, 2, seen.top + "/");
      sqlite::bindBlob(clear, 3, seen.top + "0");
    }
    clear.exec();
    SQLite::Statement put(*db_, "INSERT OR REPLACE INTO file VALUES(?,?,?,?,?,?,?)");
    for (const LargeFile& f : seen.files) {
      put.reset();
      put.bind(1, seen.drive);
      sqlite::bindBlob(put, 2, f.path);
      sqlite::bindBlob(put, 3, PathBytes(baseName(f.path)));
      put.bind(4, static_cast<std::int64_t>(f.length));
      put.bind(5, f.modified);
      put.bind(6, seen.seen);
      put.bind(7, seen.title);
      put.exec();
    }
    all.commit();
  });
}

namespace {

constexpr std::size_t mostElsewhere = 10;

FileElsewhere fileOf(SQLite::Statement& q, bool equal) {
  const std::string title = q.getColumn(0).getString();
  return {title.empty() ? q.getColumn(1).getString() : title, sqlite::blob(q.getColumn(2)),
          q.getColumn(3).getInt64(), q.getColumn(4).getInt64(), equal};
}

}  // namespace

KnownElsewhere Register::elsewhere(const std::string& drive, const FileAsked& file) {
  const std::scoped_lock lock(mutex_);
  const auto read = guarded(file_, [&] {
    KnownElsewhere known;
    SQLite::Statement own(
        *db_, "SELECT high,low FROM content WHERE drive=? AND path=? AND length=? AND modified=?");
    own.bind(1, drive);
    sqlite::bindBlob(own, 2, file.path);
    own.bind(3, static_cast<std::int64_t>(file.length));
    own.bind(4, file.modified);
    known.compared = own.executeStep();
    if (known.compared) {
      SQLite::Statement equal(
          *db_,
          "SELECT f.title,f.drive,f.path,f.modified,f.seen FROM content c JOIN file f ON f.drive=c.drive AND "
          "f.path=c.path AND f.length=c.length AND f.modified=c.modified WHERE c.high=? AND c.low=? AND "
          "c.length=? AND c.drive<>? ORDER BY f.drive,f.path LIMIT 10");
      equal.bind(1, own.getColumn(0).getInt64());
      equal.bind(2, own.getColumn(1).getInt64());
      equal.bind(3, static_cast<std::int64_t>(file.length));
      equal.bind(4, drive);
      while (equal.executeStep()) known.files.push_back(fileOf(equal, true));
    }
    SQLite::Statement named(*db_,
                            "SELECT title,drive,path,modified,seen FROM file WHERE length=? AND name=? "
                            "AND drive<>? ORDER BY drive,path LIMIT 10");
    named.bind(1, static_cast<std::int64_t>(file.length));
    sqlite::bindBlob(named, 2, PathBytes(baseName(file.path)));
    named.bind(3, drive);
    while (named.executeStep() && known.files.size() < mostElsewhere) {
      FileElsewhere one = fileOf(named, false);
      if (std::none_of(known.files.begin(), known.files.end(),
                       [&](const FileElsewhere& f) { return f.drive == one.drive && f.path == one.path; }))
        known.files.push_back(std::move(one));
    }
    return known;
  });
  return read.value_or(KnownElsewhere{});
}

Result<void> Register::noteContents(const std::string& drive, const std::vector<FileContents>& read) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    SQLite::Transaction all(*db_, SQLite::TransactionBehavior::IMMEDIATE);
    SQLite::Statement put(*db_, "INSERT OR REPLACE INTO content VALUES(?,?,?,?,?,?)");
    for (const FileContents& f : read) {
      put.reset();
      put.bind(1, drive);
      sqlite::bindBlob(put, 2, f.path);
      put.bind(3, static_cast<std::int64_t>(f.length));
      put.bind(4, f.modified);
      put.bind(5, static_cast<std::int64_t>(f.digest.high));
      put.bind(6, static_cast<std::int64_t>(f.digest.low));
      put.exec();
    }
    all.commit();
  });
}

std::vector<Bytes> Register::lengthsElsewhere(const std::string& notOn) {
  const std::scoped_lock lock(mutex_);
  const auto read = guarded(file_, [&] {
    std::vector<Bytes> all;
    SQLite::Statement q(*db_, "SELECT DISTINCT length FROM file WHERE drive<>? ORDER BY length");
    q.bind(1, notOn);
    while (q.executeStep()) all.push_back(static_cast<Bytes>(q.getColumn(0).getInt64()));
    return all;
  });
  return read.value_or(std::vector<Bytes>{});
}

Result<void> Register::say(const std::string& name, const std::string& value) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    SQLite::Statement q(*db_, "INSERT OR REPLACE INTO said VALUES(?,?)");
    q.bind(1, name);
    q.bind(2, value);
    q.exec();
  });
}

std::string Register::said(const std::string& name) {
  const std::scoped_lock lock(mutex_);
  const auto read = guarded(file_, [&] {
    SQLite::Statement q(*db_, "SELECT value FROM said WHERE name=?");
    q.bind(1, name);
    return q.executeStep() ? q.getColumn(0).getString() : std::string();
  });
  return read.value_or(std::string());
}

Result<void> Register::amend(const std::string& name,
                             const std::function<Result<std::string>(const std::string&)>& change) {
  const std::scoped_lock lock(mutex_);
  Result<void> changed;
  auto done = guarded(file_, [&] {
    SQLite::Transaction all(*db_, SQLite::TransactionBehavior::IMMEDIATE);
    SQLite::Statement was(*db_, "SELECT value FROM said WHERE name=?");
    was.bind(1, name);
    const auto value = change(was.executeStep() ? was.getColumn(0).getString() : std::string());
    was.reset();
    if (!value) {
      changed = tl::unexpected(value.error());
      return;
    }
    SQLite::Statement put(*db_, "INSERT OR REPLACE INTO said VALUES(?,?)");
    put.bind(1, name);
    put.bind(2, *value);
    put.exec();
    all.commit();
  });
  return done ? changed : done;
}

Result<std::shared_ptr<void>> Register::lock(const std::string& drive) const {
  return takeLock(joinPath(parentPath(file_), "locks/" + tokenOf(drive)));
}

Result<void> Register::noteHold(const std::string& drive, const PathBytes& folder) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    SQLite::Statement q(*db_, "INSERT OR IGNORE INTO hold VALUES(?,?)");
    q.bind(1, drive);
    sqlite::bindBlob(q, 2, folder);
    q.exec();
  });
}

std::vector<PathBytes> Register::holds(const std::string& drive) {
  const std::scoped_lock lock(mutex_);
  const auto folders = guarded(file_, [&] {
    std::vector<PathBytes> all;
    SQLite::Statement q(*db_, "SELECT folder FROM hold WHERE drive=? ORDER BY folder");
    q.bind(1, drive);
    while (q.executeStep()) all.push_back(sqlite::blob(q.getColumn(0)));
    return all;
  });
  return folders.value_or(std::vector<PathBytes>{});
}

Result<void> Register::noteLoans(const std::string& drive, const std::string& job,
                                 const std::vector<OpenLoan>& open) {
  const std::scoped_lock lock(mutex_);
  return guarded(file_, [&] {
    SQLite::Transaction all(*db_);
    SQLite::Statement gone(*db_, "DELETE FROM loan WHERE drive=? AND job=?");
    gone.bind(1, drive);
    gone.bind(2, job);
    gone.exec();
    for (const OpenLoan& loan : open) {
      SQLite::Statement q(*db_, "INSERT OR REPLACE INTO loan VALUES(?,?,?,?,?)");
      q.bind(1, drive);
      q.bind(2, job);
      sqlite::bindBlob(q, 3, loan.path);
      q.bind(4, loan.action);
      q.bind(5, static_cast<std::int64_t>(loan.bytes));
      q.exec();
    }
    all.commit();
  });
}

std::vector<OpenLoan> Register::loans(const std::string& drive) {
  const std::scoped_lock lock(mutex_);
  const auto open = guarded(file_, [&] {
    std::vector<OpenLoan> all;
    SQLite::Statement q(*db_, "SELECT action,path,bytes FROM loan WHERE drive=? ORDER BY job,path");
    q.bind(1, drive);
    while (q.executeStep())
      all.push_back({q.getColumn(0).getString(), sqlite::blob(q.getColumn(1)),
                     static_cast<Bytes>(std::max<std::int64_t>(0, q.getColumn(2).getInt64()))});
    return all;
  });
  return open.value_or(std::vector<OpenLoan>{});
}

PathBytes registerFile() {
  const PathBytes base = ownBase("XDG_DATA_HOME", ".local/share");
  return base.empty() ? base : joinPath(base, "zip-tally/register.sqlite");
}

}  // namespace zt
