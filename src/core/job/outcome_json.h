// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/plan_json.h"
#include "core/proof/proof.h"

namespace zt {

Json toJson(const RunReport& report);
Json toJson(const JournalRecord& record);
Json toJson(const std::vector<OpenLoan>& loans);
Json toJson(const Proof& proof);
/// Without the sentences, which are not the core's.
Json toJson(const Consent& consent);

/// The way back of what this program, or an earlier version of it, has stored; fails with corrupt and the
/// place. What the items were is in the journal, not here.
Result<RunReport> reportFromJson(const Json& json);
Result<Proof> proofFromJson(const Json& json);

}  // namespace zt
