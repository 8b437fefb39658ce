// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>

#include "core/base/path_bytes.h"
#include "core/base/result.h"

/// What the two databases (job files, the register) have in common.
namespace zt::sqlite {

/// `extended`: where a plain code says only that the system failed, it says of what.
Errc codeOf(int sqlite, int extended = 0);

/// Runs database work; its exceptions end here, as errors of `operation` on `path`.
template <class Work>
auto guarded(std::string_view operation, const PathBytes& path, Work work) -> Result<decltype(work())> {
  try {
    if constexpr (std::is_void_v<decltype(work())>) {
      work();
      return {};
    } else {
      return work();
    }
  } catch (const SQLite::Exception& e) {
    return fail(codeOf(e.getErrorCode(), e.getExtendedErrorCode()), operation, path, e.what());
  }
}

int pragma(SQLite::Database& db, const char* name);
void bindBlob(SQLite::Statement& statement, int index, const std::string& bytes);
std::string blob(const SQLite::Column& column);

}  // namespace zt::sqlite
