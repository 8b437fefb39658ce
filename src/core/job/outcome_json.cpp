// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/outcome_json.h"

#include "core/plan/plan_json.h"

namespace zt {

using Json = nlohmann::json;

Json toJson(const JournalRecord& r) {
  Json j{{"run", r.run},           {"line", r.line},         {"action", name(r.action)},
         {"state", name(r.state)}, {"freed_bytes", r.freed}, {"occupied_bytes", r.promised}};
  putPath(j, "path", r.path);
  if (r.state == ItemState::held) putPath(j, "held_in", joinPath(r.holdFolder, std::to_string(r.seq)));
  if (!r.putAt.empty()) putPath(j, "put_at", r.putAt);
  if (r.problem != Errc::io) j["problem"] = name(r.problem);
  if (!r.detail.empty()) j["detail"] = r.detail;
  return j;
}

Json toJson(const RunReport& report) {
  Json lines = Json::array();
  for (const LineOutcome& o : report.lines) {
    Json problems = Json::array();
    for (const auto& r : o.problems) problems.push_back(toJson(r));
    lines.push_back({{"id", o.line},
                     {"action", name(o.action)},
                     {"state", name(o.state)},
                     {"promised_bytes", o.promised},
                     {"freed_bytes", o.freed},
                     {"links_remain_bytes", o.linksRemain},
                     {"held_bytes", o.held},
                     {"items", o.items},
                     {"items_done", o.itemsDone},
                     {"problems", std::move(problems)}});
  }
  Json j{{"run", report.run}, {"stopped", report.stopped}, {"lines", std::move(lines)}};
  if (report.journalFailed) j["journal_failure"] = name(report.journalFailure.code);
  return j;
}

Json toJson(const Target& t) {
  return {{"label", t.label},
          {"origin", name(t.origin)},
          {"amount", t.amount},
          {"bytes", t.bytes},
          {"chosen", t.chosen}};
}

Json toJson(const Proof& proof) {
  Json lines = Json::array();
  for (const ProofLine& line : proof.lines) {
    Json reasons = Json::array();
    for (const auto& r : line.reasons) {
      Json reason{{"reason", name(r.kind)}, {"bytes", r.bytes}, {"items", r.items}};
      if (r.kind == ProofReason::Kind::notDone) reason["problem"] = name(r.code);
      if (!r.detail.empty()) reason["detail"] = r.detail;
      reasons.push_back(std::move(reason));
    }
    Json j{{"id", line.line},
           {"kind", name(line.kind)},
           {"action", name(line.action)},
           {"items", line.items},
           {"promised_bytes", line.promised},
           {"actual_bytes", line.actual},
           {"reasons", std::move(reasons)}};
    putPath(j, "example", line.example);
    lines.push_back(std::move(j));
  }
  Json targets = Json::array();
  for (const auto& t : proof.targets) {
    Json j = toJson(t.target);
    j["met"] = t.met;
    j["surplus_bytes"] = t.surplus;
    targets.push_back(std::move(j));
  }
  return {{"when_ns", proof.when},
          {"free_before_bytes", proof.freeBefore},
          {"free_after_bytes", proof.freeAfter},
          {"promised_bytes", proof.promised},
          {"actual_bytes", proof.actual},
          {"by_others_bytes", proof.byOthers},
          {"held_bytes", proof.held},
          {"lines", std::move(lines)},
          {"targets", std::move(targets)}};
}

Json toJson(const Consent& consent) {
  Json lines = Json::array();
  for (const auto& line : consent.lines) {
    Json j{{"id", line.id}, {"bytes", line.bytes}, {"items", line.items}, {"regret", name(line.regret)}};
    putPath(j, "example", line.example);
    j["text"] = std::string("removes for good: ") + j["example"].get<std::string>() +
                (line.items > 1 ? " and " + std::to_string(line.items - 1) + " more" : "") + ", " +
                formatBytes(line.bytes);
    lines.push_back(std::move(j));
  }
  return {{"token", consent.token}, {"lines", std::move(lines)}};
}

namespace {
Bytes amount(const Json& j, const char* key) {
  const auto at = j.find(key);
  return at != j.end() && at->is_number_unsigned() ? at->get<Bytes>() : 0;
}
std::string text(const Json& j, const char* key) {
  const auto at = j.find(key);
  return at != j.end() && at->is_string() ? at->get<std::string>() : std::string{};
}
}  // namespace

Result<std::vector<LineOutcome>> outcomesFromJson(const Json& json) {
  if (!json.is_object() || !json.contains("lines") || !json["lines"].is_array())
    return fail(Errc::corrupt, "run");
  std::vector<LineOutcome> all;
  for (const Json& j : json["lines"]) {
    if (!j.is_object()) return fail(Errc::corrupt, "run");
    LineOutcome o;
    o.line = text(j, "id");
    o.action = text(j, "action") == "hold" ? StepAction::hold : StepAction::discard;
    for (int i = 0; i < 4; ++i)
      if (name(static_cast<LineOutcome::State>(i)) == text(j, "state"))
        o.state = static_cast<LineOutcome::State>(i);
    o.promised = amount(j, "promised_bytes");
    o.freed = amount(j, "freed_bytes");
    o.linksRemain = amount(j, "links_remain_bytes");
    o.held = amount(j, "held_bytes");
    o.items = amount(j, "items");
    o.itemsDone = amount(j, "items_done");
    all.push_back(std::move(o));
  }
  return all;
}

Result<std::vector<Target>> targetsFromJson(const Json& json) {
  if (!json.is_array() || json.size() > 1000) return fail(Errc::corrupt, "targets");
  std::vector<Target> all;
  for (const Json& j : json) {
    if (!j.is_object()) return fail(Errc::corrupt, "targets");
    Target t;
    t.label = text(j, "label");
    t.amount = text(j, "amount");
    t.bytes = amount(j, "bytes");
    const auto chosen = j.find("chosen");
    t.chosen = chosen != j.end() && chosen->is_boolean() && chosen->get<bool>();
    for (int i = 0; i < 5; ++i)
      if (name(static_cast<TargetOrigin>(i)) == text(j, "origin")) t.origin = static_cast<TargetOrigin>(i);
    all.push_back(std::move(t));
  }
  return all;
}

}  // namespace zt
