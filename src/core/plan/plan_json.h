// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>

#include "core/plan/plan.h"

namespace zt {

/// A path for JSON: "path" escaped, and "path_b64" with the exact bytes where escaping was needed.
void putPath(nlohmann::json& object, std::string_view key, std::string_view path);
/// The exact bytes of such a path; fails with badInput.
Result<PathBytes> getPath(const nlohmann::json& object, const std::string& key);

nlohmann::json toJson(const Gain& gain);
nlohmann::json toJson(const Identity& identity);
/// The way back; fails with badInput.
Result<Identity> identityFromJson(const nlohmann::json& json);
nlohmann::json toJson(const Find& find);
nlohmann::json toJson(const Plan& plan);

/// Parses a plan from outside (docs/formats/plan.md). Hostile text gives badInput, notOurs or tooNew.
/// Standing, regret and gain are not believed: the caller looks them up anew. Nodes are not bound.
Result<Plan> planFromJson(const nlohmann::json& json);
Result<Find> findFromJson(const nlohmann::json& json);

}  // namespace zt
