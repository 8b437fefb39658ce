// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/sqlite.h"
#include "core/reclaim/journal.h"

/// How records of the journal are kept in a job file.
namespace zt::journal_rows {

constexpr const char* table = R"(
CREATE TABLE journal(run INTEGER NOT NULL, seq INTEGER NOT NULL, line TEXT NOT NULL, action TEXT NOT NULL, path BLOB NOT NULL,
                     identity TEXT NOT NULL, state TEXT NOT NULL, occupied INTEGER NOT NULL,
                     promised_sure INTEGER NOT NULL, promised_at_most INTEGER NOT NULL,
                     freed_sure INTEGER NOT NULL, freed_at_most INTEGER NOT NULL, links_remain INTEGER NOT NULL,
                     problem TEXT, detail TEXT NOT NULL, payload TEXT NOT NULL, PRIMARY KEY(run, seq)) WITHOUT ROWID;
)";

/// Writes records within a transaction of the caller's: new ones whole, others where they can change.
void write(SQLite::Database& db, std::span<const JournalRecord> records);
/// The record of a row of `SELECT * FROM journal`; false for one that cannot be.
bool read(SQLite::Statement& row, JournalRecord& record);
/// Moves the journal of the first version into this one's form, within a transaction of the caller's. Throws
/// SQLite::Exception; false if a row cannot be understood.
bool moveVersion1(SQLite::Database& db);

}  // namespace zt::journal_rows
