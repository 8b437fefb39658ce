// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "core/base/json_reader.h"
#include "core/base/path_bytes.h"
#include "core/base/result.h"

namespace zt {

/// What kind of value a step is told.
enum class ParameterKind : std::uint8_t {
  count,
  text,
  path,  ///< a place, as bytes
  drive  ///< a folder of another drive, which the step then works with, too
};

/// A value that a kind of step wants to be told beside its things.
struct ParameterSpec {
  std::string id;  ///< "to"
  ParameterKind kind = ParameterKind::text;
  bool needed = true;
};

/// What one line says beside its things: where to, how many, which setting was there before. A value.
class StepParameters {
public:
  struct Place {
    PathBytes path;
    bool operator==(const Place&) const = default;
  };
  using Value = std::variant<std::uint64_t, std::string, Place>;

  void set(const std::string& id, Value value) { values_[id] = std::move(value); }
  bool empty() const { return values_.empty(); }
  const std::map<std::string, Value, std::less<>>& all() const { return values_; }
  std::optional<std::uint64_t> count(std::string_view id) const;
  /// Empty where it is not said.
  std::string text(std::string_view id) const;
  PathBytes place(std::string_view id) const;

  /// Whether they are what somebody wants to be told. Fails with badInput; the detail is the id of the first
  /// that is missing, not known, or of another kind.
  Result<void> fit(const std::vector<ParameterSpec>& wanted) const;
  bool operator==(const StepParameters&) const = default;

private:
  std::map<std::string, Value, std::less<>> values_;
};

/// A value as a person types it. Fails with badInput for a count that is none and an empty place.
Result<StepParameters::Value> parameterFrom(ParameterKind kind, const std::string& typed);

/// A list of {"id", and one of "count", "text", "path"}; docs/formats/plan.md.
Json toJson(const StepParameters& parameters);
StepParameters readParameters(JsonReader& in, const char* key);  ///< none where the key is missing

}  // namespace zt
