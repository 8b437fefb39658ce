// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/register_mend.h"

#include <algorithm>

#include "core/job/register.h"
#include "core/job/sqlite.h"
#include "core/os/exclusive.h"
#include "core/os/paths.h"

namespace zt {

namespace {

struct Column {
  std::string name;
  bool key = false;
};

std::vector<std::string> tablesOf(SQLite::Database& db) {
  std::vector<std::string> all;
  SQLite::Statement q(db, "SELECT name FROM sqlite_master WHERE type='table' ORDER BY name");
  while (q.executeStep()) all.push_back(q.getColumn(0).getString());
  return all;
}

std::vector<Column> columnsOf(SQLite::Database& db, const std::string& table) {
  std::vector<Column> all;
  SQLite::Statement q(db, "SELECT name, pk FROM pragma_table_info(?)");
  q.bind(1, table);
  while (q.executeStep()) all.push_back({q.getColumn(0).getString(), q.getColumn(1).getInt() > 0});
  return all;
}

std::string list(const std::vector<Column>& columns, bool keysOnly, const char* behind = "") {
  std::string text;
  for (const Column& c : columns)
    if (!keysOnly || c.key) text += (text.empty() ? "" : ", ") + c.name + behind;
  return text;
}

void bindAs(SQLite::Statement& into, int index, const SQLite::Column& value) {
  if (value.isNull())
    into.bind(index);
  else if (value.isInteger())
    into.bind(index, value.getInt64());
  else if (value.isBlob())
    into.bind(index, value.getBlob(), value.getBytes());
  else
    into.bind(index, value.getString());
}

/// Copies rows in the order of their keys, or against it, until one cannot be read. Gives whether it came to
/// the end.
bool copyRows(SQLite::Database& from, SQLite::Database& to, const std::string& table,
              const std::vector<Column>& columns, bool backwards) {
  std::string marks;
  for (std::size_t i = 0; i < columns.size(); ++i) marks += i == 0 ? "?" : ",?";
  SQLite::Statement put(
      to, "INSERT OR IGNORE INTO " + table + "(" + list(columns, false) + ") VALUES(" + marks + ")");
  try {
    SQLite::Statement q(from, "SELECT " + list(columns, false) + " FROM " + table + " ORDER BY " +
                                  list(columns, true, backwards ? " DESC" : ""));
    while (q.executeStep()) {
      put.reset();
      for (int i = 0; i < static_cast<int>(columns.size()); ++i) bindAs(put, i + 1, q.getColumn(i));
      put.exec();
    }
  } catch (const SQLite::Exception&) {
    return false;
  }
  return true;
}

MendedTable copyTable(SQLite::Database& from, SQLite::Database& to, const std::string& table) {
  MendedTable mended{table, 0, false};
  const std::vector<Column> columns = columnsOf(to, table);
  mended.whole = copyRows(from, to, table, columns, false);
  if (!mended.whole) (void)copyRows(from, to, table, columns, true);
  mended.rows = static_cast<std::uint64_t>(to.execAndGet("SELECT count(*) FROM " + table).getInt64());
  // Rows that a damaged page hides from its table without any call failing.
  if (mended.whole) try {
      SQLite::Statement check(from, "SELECT * FROM pragma_integrity_check('" + table + "') LIMIT 1");
      mended.whole = check.executeStep() && check.getColumn(0).getString() == "ok";
    } catch (const SQLite::Exception&) {
      mended.whole = false;
    }
  return mended;
}

std::vector<MendedTable> copyAll(const PathBytes& damaged, const PathBytes& fresh) {
  SQLite::Database from(damaged, SQLite::OPEN_READWRITE), to(fresh, SQLite::OPEN_READWRITE);
  from.exec("PRAGMA trusted_schema=OFF");
  std::vector<MendedTable> all;
  SQLite::Transaction together(to, SQLite::TransactionBehavior::IMMEDIATE);
  for (const std::string& table : tablesOf(to)) all.push_back(copyTable(from, to, table));
  together.commit();
  return all;
}

void removeAll(const PathBytes& file) {
  for (const char* part : {"", "-wal", "-shm"}) (void)removeOwn(file + part);
}

PathBytes freeName(const PathBytes& file) {
  for (int i = 1;; ++i)
    if (PathBytes name = file + ".damaged-" + std::to_string(i); !exists(name)) return name;
}

}  // namespace

bool MendedRegister::knowsWhatIsKept() const {
  return std::any_of(tables.begin(), tables.end(),
                     [](const MendedTable& t) { return t.name == "mark" && t.whole; });
}

Result<MendedRegister> mendRegister(const PathBytes& file) {
  const auto lock = takeLock(file + ".mending");
  if (!lock) return tl::unexpected(lock.error());
  if (const auto opened = Register::open(file); opened)
    return fail(Errc::unsupported, "register", file);
  else if (opened.error().code != Errc::corrupt)
    return tl::unexpected(opened.error());
  const PathBytes fresh = file + ".mended";
  removeAll(fresh);
  if (const auto made = Register::open(fresh); !made) return tl::unexpected(made.error());
  auto tables = sqlite::guarded("register", file, [&] { return copyAll(file, fresh); });
  MendedRegister mended{freeName(file), {}};
  if (tables) mended.tables = std::move(*tables);  // else it cannot be opened at all: nothing comes over
  for (const char* part : {"-wal", "-shm", ""})
    if (auto moved = renameOwn(file + part, mended.aside + part); !moved)
      return tl::unexpected(moved.error());
  // Its own parts are written back when it is closed.
  if (auto moved = renameOwn(fresh, file); !moved) return tl::unexpected(moved.error());
  return mended;
}

}  // namespace zt
