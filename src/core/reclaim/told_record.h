// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/reclaim/journal.h"

namespace zt {

/// A record as one program tells another that carries a phase out for it.
/// Times and texts as they are; the table is in docs/formats/helper.md.
Json toTold(const JournalRecord& record);
/// Fails with corrupt and the place; everything is checked, whoever said it.
Result<JournalRecord> recordFromTold(const Json& told);

}  // namespace zt
