// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/outcome_json.h"

namespace zt {

Json toJson(const JournalRecord& r) {
  Json j{{"run", r.run},
         {"line", r.line},
         {"action", r.action},
         {"state", name(r.state)},
         {"freed_bytes", r.freed.atMost},
         {"occupied_bytes", r.occupied}};
  putPath(j, "path", r.path);
  if (r.state == ItemState::held && !r.holdFolder.empty())
    putPath(j, "held_in", joinPath(r.holdFolder, std::to_string(r.seq)));
  if (!r.putAt.empty()) putPath(j, "put_at", r.putAt);
  if (r.problem) j["problem"] = name(*r.problem);
  if (!r.detail.empty()) j["detail"] = r.detail;
  if (!r.parameters.empty()) j["parameters"] = toJson(r.parameters);
  return j;
}

Json toJson(const RunReport& report) {
  Json lines = Json::array();
  for (const LineOutcome& o : report.lines) {
    Json problems = Json::array();
    for (const auto& r : o.problems) problems.push_back(toJson(r));
    lines.push_back({{"id", o.line},
                     {"action", o.action},
                     {"state", name(o.state)},
                     {"promised_bytes", o.promised.sure},
                     {"promised_at_most_bytes", o.promised.atMost},
                     {"freed_bytes", o.rose},
                     {"unlinked_sure_bytes", o.freed.sure},
                     {"unlinked_bytes", o.freed.atMost},
                     {"links_remain_bytes", o.linksRemain},
                     {"held_bytes", o.held},
                     {"items", o.items},
                     {"items_done", o.itemsDone},
                     {"problems", std::move(problems)}});
  }
  Json j{{"run", report.run},       {"stopped", report.stopped},     {"unanswered", report.unanswered},
         {"enough", report.enough}, {"refill_bytes", report.refill}, {"lines", std::move(lines)}};
  if (!report.restart.lines.empty())
    j["restart"] = {{"lines", report.restart.lines}, {"boot", report.restart.boot}};
  if (report.journalFailed) j["journal_failure"] = name(report.journalFailure.code);
  return j;
}

Json toJson(const std::vector<OpenLoan>& loans) {
  Json all = Json::array();
  for (const OpenLoan& loan : loans) {
    Json j{{"action", loan.action}, {"bytes", loan.bytes}};
    putPath(j, "path", loan.path);
    all.push_back(std::move(j));
  }
  return all;
}

Json toJson(const Proof& proof) {
  Json lines = Json::array();
  for (const ProofLine& line : proof.lines) {
    Json reasons = Json::array();
    for (const auto& r : line.reasons) {
      Json reason{{"reason", name(r.kind)}, {"bytes", r.bytes}, {"items", r.items}};
      if (r.code) reason["problem"] = name(*r.code);
      if (!r.detail.empty()) reason["detail"] = r.detail;
      reasons.push_back(std::move(reason));
    }
    Json j{{"id", line.line},
           {"kind", line.kind},
           {"action", line.action},
           {"items", line.items},
           {"promised_bytes", line.promised.sure},
           {"promised_at_most_bytes", line.promised.atMost},
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
          {"unexplained_bytes", proof.byOthers},
          {"held_bytes", proof.held},
          {"restart", name(proof.restart)},
          {"loans", toJson(proof.loans)},
          {"lines", std::move(lines)},
          {"targets", std::move(targets)}};
}

Json toJson(const Consent& consent) {
  Json lines = Json::array();
  for (const auto& line : consent.lines) {
    Json j{{"id", line.id},
           {"action", line.action},
           {"bytes", line.bytes},
           {"items", line.items},
           {"regret", name(line.regret)}};
    putPath(j, "example", line.example);
    j["lost"] = Json::array();
    for (const Losses::Known& known : line.lost.known) j["lost"].push_back(known.text());
    if (!line.parameters.empty()) j["parameters"] = toJson(line.parameters);
    lines.push_back(std::move(j));
  }
  return {{"token", consent.token}, {"lines", std::move(lines)}};
}

namespace {

constexpr std::size_t mostLines = 100'000;

/// A value of an enumeration whose names count up from 0.
std::optional<Errc> codeNamed(JsonReader& in, const char* key) {
  if (!in.has(key)) return std::nullopt;
  return in.choice<Errc>(key, errorCodes);
}

}  // namespace

Result<RunReport> reportFromJson(const Json& json) {
  JsonReader in(json);
  RunReport report;
  report.run = in.numberOr<std::int64_t>("run", 0);
  report.stopped = in.flagOr("stopped", false);
  report.unanswered = in.flagOr("unanswered", false);
  report.enough = in.flagOr("enough", false);
  report.refill = in.numberOr<Bytes>("refill_bytes", 0);
  in.each("lines", mostLines, [&](JsonReader& l) {
    LineOutcome o;
    o.line = l.text("id");
    o.action = l.text("action");
    o.state = l.choice<LineOutcome::State>("state", lineStates);
    o.promised.sure = l.number<Bytes>("promised_bytes");
    o.promised.atMost = l.numberOr<Bytes>("promised_at_most_bytes", o.promised.sure);
    o.rose = l.number<SignedBytes>("freed_bytes");
    // The first version knew what it had unlinked, and called that freed.
    const Bytes unlinked = o.rose > 0 ? static_cast<Bytes>(o.rose) : 0;
    o.freed.sure = l.numberOr<Bytes>("unlinked_sure_bytes", unlinked);
    o.freed.atMost = l.numberOr<Bytes>("unlinked_bytes", unlinked);
    o.linksRemain = l.number<Bytes>("links_remain_bytes");
    o.held = l.number<Bytes>("held_bytes");
    o.items = l.number<std::uint64_t>("items");
    o.itemsDone = l.number<std::uint64_t>("items_done");
    report.lines.push_back(std::move(o));
  });
  if (in.has("restart"))
    in.object("restart", [&](JsonReader& r) {
      report.restart.boot = r.text("boot");
      for (const Json& line : r.json().value("lines", Json::array())) {
        if (!line.is_string()) return r.wrong("lines");
        report.restart.lines.push_back(line.get<std::string>());
      }
    });
  if (!in.ok()) return fail(Errc::corrupt, "run", {}, in.fault());
  return report;
}

namespace {

ProofLine readProofLine(JsonReader& l) {
  ProofLine line;
  line.line = l.text("id");
  line.kind = l.text("kind");
  line.action = l.text("action");
  line.example = l.path("example");
  line.items = l.number<std::uint64_t>("items");
  line.promised.sure = l.number<Bytes>("promised_bytes");
  line.promised.atMost = l.numberOr<Bytes>("promised_at_most_bytes", line.promised.sure);
  line.actual = l.number<SignedBytes>("actual_bytes");
  l.each("reasons", mostLines, [&](JsonReader& r) {
    ProofReason reason;
    reason.kind = r.choice<ProofReason::Kind>("reason", proofReasonKinds);
    reason.bytes = r.number<SignedBytes>("bytes");
    reason.items = r.number<std::uint64_t>("items");
    reason.code = codeNamed(r, "problem");
    reason.detail = r.textOr("detail");
    line.reasons.push_back(std::move(reason));
  });
  return line;
}

}  // namespace

Result<Proof> proofFromJson(const Json& json) {
  JsonReader in(json);
  Proof proof;
  proof.when = in.number<TimeNs>("when_ns");
  proof.freeBefore = in.number<Bytes>("free_before_bytes");
  proof.freeAfter = in.number<Bytes>("free_after_bytes");
  proof.promised = in.number<Bytes>("promised_bytes");
  proof.actual = in.number<SignedBytes>("actual_bytes");
  proof.byOthers =
      in.number<SignedBytes>(in.has("by_others_bytes") ? "by_others_bytes" : "unexplained_bytes");
  proof.held = in.number<Bytes>("held_bytes");
  proof.restart = in.choiceOr<Restart>("restart", restarts, Restart::notNeeded);
  in.eachOr("loans", 100'000, [&](JsonReader& loan) {
    proof.loans.push_back({loan.text("action"), loan.path("path"), loan.number<Bytes>("bytes")});
  });
  in.each("lines", mostLines, [&](JsonReader& l) { proof.lines.push_back(readProofLine(l)); });
  in.each("targets", 1000, [&](JsonReader& t) {
    TargetOutlook outlook;
    // The first version kept targets of proofs without the words of theirs.
    outlook.target = readTarget(t);
    outlook.met = t.flag("met");
    outlook.surplus = t.number<SignedBytes>("surplus_bytes");
    proof.targets.push_back(std::move(outlook));
  });
  if (!in.ok()) return fail(Errc::corrupt, "proof", {}, in.fault());
  return proof;
}

}  // namespace zt
