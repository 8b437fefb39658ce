// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/sqlite.h"

namespace zt::sqlite {

Errc codeOf(int sqlite, int extended) {
  // The memory that is shared beside a database is made as large as need be, and written to: no room for it
  // is no fault of the drive.
  if (extended == SQLITE_IOERR_SHMSIZE || extended == SQLITE_IOERR_SHMMAP) return Errc::noSpace;
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

}  // namespace zt::sqlite
