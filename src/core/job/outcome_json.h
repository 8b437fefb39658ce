// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>

#include "core/proof/proof.h"

namespace zt {

nlohmann::json toJson(const RunReport& report);
nlohmann::json toJson(const JournalRecord& record);
nlohmann::json toJson(const Proof& proof);
nlohmann::json toJson(const Consent& consent);
nlohmann::json toJson(const Target& target);

/// The lines of a saved run; fails with corrupt.
Result<std::vector<LineOutcome>> outcomesFromJson(const nlohmann::json& json);
Result<std::vector<Target>> targetsFromJson(const nlohmann::json& json);

}  // namespace zt
