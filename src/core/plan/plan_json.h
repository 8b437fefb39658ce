// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>

#include "core/base/json_reader.h"
#include "core/plan/plan.h"

namespace zt {

/// The kinds that a document from outside may name.
struct KnownKinds {
  const StepTable& steps;
  std::vector<std::string> finds;
  bool knows(std::string_view kindOfFind) const {
    return std::find(finds.begin(), finds.end(), kindOfFind) != finds.end();
  }
};

Json toJson(const Gain& gain);
Json toJson(const Identity& identity);
Identity readIdentity(JsonReader& in);
Json toJson(const Find& find);
Json toJson(const Plan& plan);
Json toJson(const Target& target);
Target readTarget(JsonReader& in);
Json toJson(const Marks& marks);

/// Parses a plan from outside (docs/formats/plan.md). Hostile text gives badInput with the place, notOurs or
/// tooNew; a step, detector or standing that is not known is badInput too. Standing, regret and gain are not
/// believed: the caller looks them up anew. Nodes are not bound.
Result<Plan> planFromJson(const Json& json, const KnownKinds& known);
/// A find that this program has stored; fails with corrupt and the place.
Result<Find> findFromJson(const Json& json, const KnownKinds& known);
Result<std::vector<Target>> targetsFromJson(const Json& json);
/// Marks of this version, and of the first, which knew `{path, kept}`.
Result<Marks> marksFromJson(const Json& json);

}  // namespace zt
