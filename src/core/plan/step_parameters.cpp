// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/step_parameters.h"

#include <algorithm>
#include <charconv>

namespace zt {

namespace {

constexpr std::size_t mostParameters = 100;

bool isOf(ParameterKind kind, const StepParameters::Value& value) {
  switch (kind) {
    case ParameterKind::count:
      return std::holds_alternative<std::uint64_t>(value);
    case ParameterKind::text:
      return std::holds_alternative<std::string>(value);
    case ParameterKind::path:
    case ParameterKind::drive:
      return std::holds_alternative<StepParameters::Place>(value);
  }
  return false;
}

template <class T, class Values>
const T* valueOf(const Values& values, std::string_view id) {
  const auto at = values.find(id);
  return at == values.end() ? nullptr : std::get_if<T>(&at->second);
}

}  // namespace

std::optional<std::uint64_t> StepParameters::count(std::string_view id) const {
  const auto* value = valueOf<std::uint64_t>(values_, id);
  return value == nullptr ? std::nullopt : std::optional(*value);
}

std::string StepParameters::text(std::string_view id) const {
  const auto* value = valueOf<std::string>(values_, id);
  return value == nullptr ? std::string() : *value;
}

PathBytes StepParameters::place(std::string_view id) const {
  const auto* value = valueOf<Place>(values_, id);
  return value == nullptr ? PathBytes() : value->path;
}

Result<void> StepParameters::fit(const std::vector<ParameterSpec>& wanted) const {
  for (const ParameterSpec& spec : wanted) {
    const auto at = values_.find(spec.id);
    if (at == values_.end() ? spec.needed : !isOf(spec.kind, at->second))
      return fail(Errc::badInput, "parameters", {}, spec.id);
  }
  for (const auto& [id, value] : values_)
    if (std::none_of(wanted.begin(), wanted.end(), [&](const auto& spec) { return spec.id == id; }))
      return fail(Errc::badInput, "parameters", {}, id);
  return {};
}

Result<StepParameters::Value> parameterFrom(ParameterKind kind, const std::string& typed) {
  if (kind == ParameterKind::text) return StepParameters::Value(typed);
  if (typed.empty()) return fail(Errc::badInput, "parameters");
  if (kind != ParameterKind::count) return StepParameters::Value(StepParameters::Place{typed});
  std::uint64_t count = 0;
  const auto [end, error] = std::from_chars(typed.data(), typed.data() + typed.size(), count);
  if (error != std::errc{} || end != typed.data() + typed.size())
    return fail(Errc::badInput, "parameters", {}, typed);
  return StepParameters::Value(count);
}

Json toJson(const StepParameters& parameters) {
  Json all = Json::array();
  for (const auto& [id, value] : parameters.all()) {
    Json j{{"id", id}};
    if (const auto* count = std::get_if<std::uint64_t>(&value)) j["count"] = *count;
    if (const auto* text = std::get_if<std::string>(&value)) j["text"] = *text;
    if (const auto* place = std::get_if<StepParameters::Place>(&value)) putPath(j, "path", place->path);
    all.push_back(std::move(j));
  }
  return all;
}

StepParameters readParameters(JsonReader& in, const char* key) {
  StepParameters all;
  in.eachOr(key, mostParameters, [&](JsonReader& one) {
    const std::string id = one.text("id");
    if (one.has("count"))
      all.set(id, one.number<std::uint64_t>("count"));
    else if (one.has("path"))
      all.set(id, StepParameters::Place{one.path("path")});
    else
      all.set(id, one.text("text"));
  });
  return all;
}

}  // namespace zt
