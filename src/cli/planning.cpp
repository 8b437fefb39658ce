// SPDX-License-Identifier: GPL-3.0-or-later
// propose, plan, reclaim, prove, undo, release
#include <algorithm>
#include <fstream>
#include <iomanip>
#include <iostream>

#include "cli/verbs.h"
#include "core/job/outcome_json.h"
#include "core/plan/plan_json.h"

namespace zt::cli {

using Json = nlohmann::json;

namespace {

Json planJson(const Job& job, const Plan& plan) {
  Json j = toJson(plan);
  const PlannedGain planned = plannedGain(plan, job.context()->setGain);
  j["planned"] = {{"sure_bytes", planned.sure}, {"at_most_bytes", planned.atMost}};
  j["free_bytes"] = job.freeNow();
  j["targets"] = Json::array();
  for (const auto& t : outlook(job.targets(), job.freeNow(), planned)) {
    Json target = toJson(t.target);
    target["met"] = t.met;
    target["surplus_bytes"] = t.surplus;
    j["targets"].push_back(std::move(target));
  }
  return j;
}

void printPlan(Console& console, const Job& job, const Plan& plan) {
  const auto steps = stepGains(plan, job.context()->setGain);
  for (std::size_t i = 0; i < plan.lines.size(); ++i) {
    const PlanLine& line = plan.lines[i];
    console.out << column(steps[i]) << "  " << std::left << std::setw(8)
                << (line.enabled ? name(line.action) : "off")
                << (line.items.size() == 1 ? escapePath(line.items[0].path)
                                           : line.id + ", " + std::to_string(line.items.size()) +
                                                 " items in " + escapePath(line.place))
                << "\n                    regret: " << words(line.regret) << '\n';
  }
  const PlannedGain planned = plannedGain(plan, job.context()->setGain);
  console.out << "free " << formatBytes(job.freeNow()) << " + planned " << formatBytes(planned.sure);
  if (planned.atMost != planned.sure) console.out << " (at most " << formatBytes(planned.atMost) << ")";
  if (const Target* t = hardest(job.targets())) {
    const SignedBytes over = surplus(*t, job.freeNow() + planned.sure);
    console.out << " \u2212 target " << formatBytes(t->bytes) << " = "
                << (over >= 0 ? formatSigned(over) + " to spare" : formatSigned(-over) + " short");
  }
  console.out << '\n';
}

bool writeText(const std::string& path, const std::string& text) {
  std::ofstream out(path, std::ios::binary);
  out << text;
  out.close();
  return out.good();
}

}  // namespace

int proposeVerb(Console& console, const Arguments& args) {
  ProposeOptions options;
  if (!args.ceiling.empty()) {
    options.ceiling = regretNamed(args.ceiling);
    if (!options.ceiling) return report(console, Error{Errc::badInput, "ceiling", {}, 0, args.ceiling});
  }
  for (const auto& keep : args.keep) options.keep.push_back(unescapePath(keep));
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  auto proposal = job->propose(options);
  if (!proposal) return report(console, proposal.error());
  Json j = planJson(*job, proposal->plan);
  j["ceiling"] = name(proposal->ceiling);
  j["reached"] = proposal->reached;
  j["short_bytes"] = proposal->shortBy;
  j["uses_unjudged"] = proposal->usesUnjudged;
  j["proof"] = {{"optimal", proposal->optimal}, {"bound_gap", proposal->boundGap}};
  for (int i = 0; i < regrets; ++i)
    j["possible"].push_back({{"ceiling", name(static_cast<Regret>(i))},
                             {"bytes", proposal->possible[static_cast<std::size_t>(i)]}});
  if (!args.output.empty()) {
    if (!writeText(args.output, toJson(proposal->plan).dump(2)))
      return report(console, Error{Errc::io, "write", args.output, 0, {}});
  } else if (auto set = job->setPlan(proposal->plan); !set) {
    return report(console, set.error());
  }
  if (args.json)
    print(console, j);
  else {
    printPlan(console, *job, proposal->plan);
    console.out << (proposal->reached ? "reaches the target; the worst to regret: "
                                      : "does not reach the target; ceiling: ")
                << words(proposal->ceiling) << '\n';
  }
  return proposal->reached ? Exit::done : Exit::partly;
}

int plan(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  const StepAction action = args.action == "hold" ? StepAction::hold : StepAction::discard;
  for (const auto& item : args.items) {
    Result<void> done;
    if (args.edit == "drop") {
      const Find* find = job->find(item);
      auto picked = find != nullptr || job->plan().find(item) != nullptr ? Result<const Find*>(find)
                                                                         : job->pick(unescapePath(item));
      if (!picked) return report(console, picked.error());
      done = job->dropFromPlan(*picked != nullptr ? (*picked)->id : item);
    } else if (const Find* find = job->find(item)) {
      done = job->addToPlan(*find, action);
    } else {
      const auto picked = job->pick(unescapePath(item));
      if (!picked) return report(console, picked.error());
      done = job->addToPlan(**picked, action);
    }
    if (!done) return report(console, done.error());
  }
  if (args.json)
    print(console, planJson(*job, job->plan()));
  else
    printPlan(console, *job, job->plan());
  return Exit::done;
}

namespace {

int loadPlan(Console& console, Job& job, const std::string& file) {
  std::ifstream in(file, std::ios::binary);
  if (!in) return report(console, Error{Errc::notThere, "plan-file", file, 0, {}});
  std::string text;
  constexpr std::size_t most = 512u << 20;
  char block[65536];
  while (in.read(block, sizeof block) || in.gcount() > 0) {
    text.append(block, static_cast<std::size_t>(in.gcount()));
    if (text.size() > most) return report(console, Error{Errc::badInput, "plan-file", file, 0, "too large"});
  }
  auto parsed = planFromJson(Json::parse(text, nullptr, false));
  if (!parsed) {
    parsed.error().path = file;
    return report(console, parsed.error());
  }
  if (auto set = job.setPlan(std::move(*parsed)); !set) return report(console, set.error());
  return Exit::done;
}

/// Every item checked as the run would, nothing changed.
int dryRun(Console& console, Job& job, bool json) {
  const auto checked = job.rehearse();
  if (!checked) return report(console, checked.error());
  Json lines = Json::array();
  for (const auto& r : *checked) {
    lines.push_back(toJson(r));
    if (!json && r.state == ItemState::refused)
      console.out << escapePath(r.path) << ": " << words(r.problem) << '\n';
  }
  const bool clear = std::none_of(checked->begin(), checked->end(),
                                  [](const auto& r) { return r.state == ItemState::refused; });
  if (json)
    print(console, {{"dry_run", true}, {"items", std::move(lines)}});
  else
    console.out << checked->size() << " items checked, nothing changed\n";
  return clear ? Exit::done : Exit::partly;
}

int askConsent(Console& console, const Consent& consent, bool json) {
  if (json) {
    print(console, {{"consent", toJson(consent)}});
  } else {
    for (const auto& line : consent.lines)
      console.out << column(line.bytes) << "  removes for good: " << escapePath(line.example)
                  << (line.items > 1 ? " and " + std::to_string(line.items - 1) + " more" : "") << '\n';
    console.out << "Nothing was changed. To agree, say the same again with --consent " << consent.token
                << '\n';
  }
  return Exit::refused;
}

}  // namespace

int reclaim(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  if (!args.planFile.empty())
    if (const int loaded = loadPlan(console, *job, args.planFile); loaded != Exit::done) return loaded;
  if (args.dryRun) return dryRun(console, *job, args.json);
  if (job->plan().lines.empty()) {
    if (args.json)
      print(console, {{"run", nullptr}, {"lines", Json::array()}});
    else
      console.out << "The plan is empty: there is nothing to do.\n";
    return Exit::done;
  }
  const Consent consent = job->consent();
  if (consent.token != args.consent) return askConsent(console, consent, args.json);
  const auto report = job->reclaim(args.consent, console.stop, [&](const LineOutcome& o) {
    if (console.progress)
      console.err << "\r" << o.line << ": " << o.itemsDone << " of " << o.items << "   " << std::flush;
  });
  if (!report) return cli::report(console, report.error());
  if (args.json) print(console, toJson(*report));
  bool all = !report->stopped && !report->journalFailed;
  for (const auto& o : report->lines) {
    all = all && o.state == LineOutcome::State::done;
    if (args.json) continue;
    console.out << column(o.freed) << "  " << name(o.state) << "  " << o.line;
    if (o.held > 0) console.out << ", " << formatBytes(o.held) << " in the hold";
    console.out << '\n';
    for (const auto& r : o.problems)
      console.out << "            " << escapePath(r.path) << ": " << words(r.problem)
                  << (r.detail.empty() ? "" : " (" + r.detail + ")") << '\n';
  }
  if (report->journalFailed) {
    console.err << "ztally: the job file could not be written: " << sentence(report->journalFailure)
                << "; nothing more was touched\n";
    return Exit::failed;
  }
  return all ? Exit::done : Exit::partly;
}

int proveVerb(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  const auto proof = job->prove();
  if (!proof) return report(console, proof.error());
  if (args.json) {
    print(console, toJson(*proof));
    return Exit::done;
  }
  console.out << "free before " << formatBytes(proof->freeBefore) << ", now " << formatBytes(proof->freeAfter)
              << "\n  promised    actual\n";
  for (const auto& line : proof->lines) {
    console.out << column(line.promised) << column(line.actual) << "  " << line.line;
    for (const auto& r : line.reasons) {
      console.out << "; " << name(r.kind) << " " << formatSigned(r.bytes);
      if (r.kind == ProofReason::Kind::notDone) console.out << " (" << words(r.code) << ")";
    }
    console.out << '\n';
  }
  console.out << column(proof->promised) << column(proof->actual) << "  sum\n";
  if (proof->byOthers != 0)
    console.out << "others wrote or freed meanwhile: " << formatSigned(proof->byOthers) << '\n';
  if (proof->held > 0) console.out << "still in the hold: " << formatBytes(proof->held) << '\n';
  for (const auto& t : proof->targets)
    console.out << "target " << (t.target.label.empty() ? t.target.amount : t.target.label) << ": "
                << (t.met ? "met, " + formatSigned(t.surplus) + " to spare"
                          : formatSigned(-t.surplus) + " short")
                << '\n';
  return Exit::done;
}

namespace {
int reportRecords(Console& console, const Result<std::vector<JournalRecord>>& records, ItemState wanted,
                  bool json) {
  if (!records) return report(console, records.error());
  Json list = Json::array();
  bool all = true;
  for (const auto& r : *records) {
    all = all && r.state == wanted;
    if (json)
      list.push_back(toJson(r));
    else
      console.out << name(r.state) << "  " << escapePath(r.putAt.empty() ? r.path : r.putAt)
                  << (r.state == wanted ? "" : ": " + words(r.problem)) << '\n';
  }
  if (json)
    print(console, {{"items", std::move(list)}});
  else if (records->empty())
    console.out << "Nothing is held: there is nothing to do.\n";
  return all ? Exit::done : Exit::partly;
}
}  // namespace

int undo(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  return reportRecords(console, job->undo(args.run, console.stop), ItemState::returned, args.json);
}

int release(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  const auto consent = job->releaseConsent();
  if (!consent) return report(console, consent.error());
  if (consent->token != args.consent) return askConsent(console, *consent, args.json);
  return reportRecords(console, job->release(args.consent, console.stop), ItemState::gone, args.json);
}

}  // namespace zt::cli
