// SPDX-License-Identifier: GPL-3.0-or-later
// reclaim, prove, undo, release
#include <algorithm>
#include <chrono>
#include <fstream>
#include <iostream>
#include <sstream>
#include <thread>

#include "cli/verbs.h"
#include "core/job/drive_holds.h"
#include "core/job/outcome_json.h"
#include "core/os/paths.h"
#include "core/plan/plan_json.h"

namespace zt::cli {

namespace {

/// Reads a plan into the job. Only what is going to be carried out is kept there.
int loadPlan(Console& console, Job& job, const std::string& file, const std::string& consent, bool dryRun) {
  std::ifstream in(file, std::ios::binary);
  if (!in) return report(console, Error{Errc::notThere, "plan-file", file, 0, {}});
  std::string text;
  constexpr std::size_t most = 512u << 20;
  std::vector<char> block(65536);
  while (in.read(block.data(), static_cast<std::streamsize>(block.size())) || in.gcount() > 0) {
    text.append(block.data(), static_cast<std::size_t>(in.gcount()));
    if (text.size() > most) return report(console, Error{Errc::badInput, "plan-file", file, 0, "too large"});
  }
  const Craft& craft = *console.workshop.craft;
  auto parsed = planFromJson(parseJson(text), knownKinds(craft));
  if (!parsed) {
    parsed.error().path = file;
    return report(console, parsed.error());
  }
  const Plan meant = *parsed;
  if (auto tried = job.planBook().suppose(std::move(*parsed)); !tried) return report(console, tried.error());
  if (dryRun || job.consent().token != consent) return Exit::done;
  if (auto set = job.planBook().set(meant); !set) return report(console, set.error());
  return Exit::done;
}

std::string problemOf(const JournalRecord& r) {
  return r.problem ? words().problem(*r.problem, r.detail) : words().itemState(r.state);
}

/// Every item checked as the run would, nothing changed.
int dryRun(Console& console, Job& job, bool json) {
  const auto checked = job.rehearse();
  if (!checked) return report(console, checked.error());
  Json lines = Json::array();
  bool clear = true;
  for (const auto& r : *checked) {
    clear = clear && r.state != ItemState::refused;
    if (json)
      lines.push_back(toJson(r));
    else if (r.state == ItemState::refused)
      console.out << escapePath(r.path) << ": " << problemOf(r) << '\n';
  }
  if (json)
    print(console, {{"dry_run", true}, {"items", std::move(lines)}});
  else
    console.out << say("%1 checked, nothing changed", {words().things(checked->size())}) << '\n';
  return clear ? Exit::done : Exit::partly;
}

void printReport(Console& console, const RunReport& report) {
  for (const auto& o : report.lines) {
    console.out << signedColumn(o.rose) << "  " << words().lineState(o.state) << "  " << o.line;
    if (o.held > 0) console.out << say(", %1 in the hold", {words().bytes(o.held)});
    console.out << '\n';
    for (const auto& r : o.problems)
      console.out << "            " << escapePath(r.path) << ": " << problemOf(r) << '\n';
  }
}

void warnOfUnseenFiles(Console& console, const Job& job) {
  if (!job.site().seesAllOpenFiles())
    console.err
        << "ztally: "
        << say("files that other users' programs have open cannot be seen without more rights; whether "
               "any of this is in use there is not known")
        << '\n';
}

}  // namespace

int reclaim(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  if (!args.planFile.empty())
    if (const int loaded = loadPlan(console, *job, args.planFile, args.consent, args.dryRun);
        loaded != Exit::done)
      return loaded;
  if (args.dryRun) return dryRun(console, *job, args.json);
  if (job->planBook().plan().lines.empty() && job->cutShort().empty()) {
    if (args.json)
      print(console, {{"run", nullptr}, {"lines", Json::array()}});
    else
      console.out << say("The plan is empty: there is nothing to do.") << '\n';
    return Exit::done;
  }
  warnOfUnseenFiles(console, *job);
  if (job->consent().token != args.consent)
    return askConsent(console, job->consent(true), args.json,
                      {{"open_files_complete", job->site().seesAllOpenFiles()}});
  RunControl control;
  control.stop = console.stop;
  if (args.untilMet) {
    const Target* target = hardest(job->planBook().targets());
    if (target == nullptr) return report(console, Error{Errc::badInput, "until-met", {}, 0, "no target"});
    control.enough = target->bytes;
  }
  control.progress = [&](const RunProgress& progress) {
    const LineOutcome& o = progress.line;
    if (console.progress)
      console.err << "\r"
                  << say("%1: %2 of %3", {o.line, words().number(o.itemsDone), words().number(o.items)})
                  << "   " << std::flush;
  };
  const auto ran = job->reclaim(args.consent, control);
  if (!ran) return report(console, ran.error());
  if (args.json)
    print(console, toJson(*ran));
  else
    printReport(console, *ran);
  if (ran->journalFailed) {
    console.err << "ztally: "
                << say("the job file could not be written: %1; nothing more was touched",
                       {words().error(ran->journalFailure)})
                << '\n';
    return Exit::failed;
  }
  const bool all = std::all_of(ran->lines.begin(), ran->lines.end(),
                               [](const LineOutcome& o) { return o.state == LineOutcome::State::done; });
  if (ran->enough && !args.json)
    console.out << say("The target is met by the drive's own counter; the rest stays on the plan.") << '\n';
  return (all || ran->enough) && !ran->stopped ? Exit::done : Exit::partly;
}

namespace {

/// "30 s", "10 min", "2 h"; nothing for anything else.
std::optional<std::chrono::seconds> parseWait(const std::string& text) {
  std::istringstream in(text);
  long count = 0;
  std::string unit, more;
  if (!(in >> count) || count < 0 || count > 1'000'000 || !(in >> unit) || in >> more) return std::nullopt;
  if (unit == "s") return std::chrono::seconds(count);
  if (unit == "min") return std::chrono::minutes(count);
  return unit == "h" ? std::optional<std::chrono::seconds>(std::chrono::hours(count)) : std::nullopt;
}

/// What only the drive's own system gives comes later: the targets, or what it was asked to let go.
bool isThere(const Job& job, const Proof& proof) {
  if (!proof.targets.empty())
    return std::all_of(proof.targets.begin(), proof.targets.end(), [](const auto& t) { return t.met; });
  const auto root = job.site().files()->openRoot(job.site().root());
  if (!root) return false;
  for (const PlanLine& line : job.planBook().plan().lines)
    for (const Subject& item : line.items) {
      const auto at = job.site().files()->openBeneath(**root, parentPath(item.path));
      if (!line.step->touches && at && job.site().files()->stat(**at, baseName(item.path))) return false;
    }
  return true;
}

/// Proves again and again, until it is there or the time is over.
Result<Proof> proveUntil(Job& job, std::chrono::seconds most, const std::stop_token& stop) {
  const auto end = std::chrono::steady_clock::now() + most;
  for (;;) {
    auto proof = job.prove();
    if (!proof || isThere(job, *proof)) return proof;
    for (int i = 0; i < 20 && !stop.stop_requested(); ++i) {
      if (std::chrono::steady_clock::now() >= end) return proof;
      std::this_thread::sleep_for(std::chrono::milliseconds(100));
    }
    if (stop.stop_requested()) return proof;
  }
}

}  // namespace

int proveVerb(Console& console, const Arguments& args) {
  const auto wait = args.until.empty() ? std::chrono::seconds(0) : parseWait(args.until);
  if (!wait) return report(console, Error{Errc::badInput, "until", {}, 0, args.until});
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  const auto proof = proveUntil(*job, *wait, console.stop);
  if (!proof) return report(console, proof.error());
  if (args.json) {
    print(console, toJson(*proof));
    return Exit::done;
  }
  console.out << say("free before %1, now %2",
                     {words().bytes(proof->freeBefore), words().bytes(proof->freeAfter)})
              << '\n'
              << columnHead(say("promised")) << columnHead(say("actual")) << '\n';
  for (const auto& line : proof->lines) {
    console.out << column(line.promised.sure) << signedColumn(line.actual) << "  "
                << (line.items > 1
                        ? say("%1: %2 and %3 more", {words().action(line.action), escapePath(line.example),
                                                     words().things(line.items - 1)})
                        : words().action(line.action) + ": " + escapePath(line.example));
    for (const auto& r : line.reasons)
      if (worthSaying(r)) console.out << "\n                      " << words().reason(r);
    console.out << '\n';
  }
  console.out << column(proof->promised) << signedColumn(proof->actual) << "  " << say("sum") << '\n';
  if (proof->byOthers != 0)
    console.out << say("others wrote or freed meanwhile: %1", {words().signedBytes(proof->byOthers)}) << '\n';
  if (proof->held > 0) console.out << say("still in the hold: %1", {words().bytes(proof->held)}) << '\n';
  if (const std::string restart = words().restart(proof->restart); !restart.empty())
    console.out << restart << '\n';
  for (const auto& t : proof->targets)
    console.out << (t.met ? say("target %1: met, %2 to spare",
                                {words().targetName(t.target), words().signedBytes(t.surplus)})
                          : say("target %1: %2 short",
                                {words().targetName(t.target), words().signedBytes(-t.surplus)}))
                << '\n';
  if (const auto open = job->runs().loans(); open && !open->empty())
    console.out << say("%1 lent: ztally repay pays back", {words().things(open->size())}) << '\n';
  return args.until.empty() || isThere(*job, *proof) ? Exit::done : Exit::partly;
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
      console.out << words().itemState(r.state) << "  " << escapePath(r.putAt.empty() ? r.path : r.putAt)
                  << (r.state == wanted ? "" : ": " + problemOf(r)) << '\n';
  }
  if (json)
    print(console, {{"items", std::move(list)}});
  else if (records->empty())
    console.out << say("Nothing is held: there is nothing to do.") << '\n';
  return all ? Exit::done : Exit::partly;
}

/// The holds of the drive that was named instead of a job.
Result<std::unique_ptr<DriveHolds>> namedHolds(Console& console, const Arguments& args) {
  const auto path = canonicalPath(args.drive);
  if (!path) return tl::unexpected(path.error());
  return DriveHolds::open(console.workshop, *path, args.standIn);
}

}  // namespace

int undo(Console& console, const Arguments& args) {
  if (!args.drive.empty()) {
    const auto holds = namedHolds(console, args);
    if (!holds) return report(console, holds.error());
    return reportRecords(console, (*holds)->putBack(console.stop), ItemState::returned, args.json);
  }
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  return reportRecords(console, job->undo(args.run, console.stop), ItemState::returned, args.json);
}

int repay(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  const auto paid = job->repay(console.stop);
  if (paid && paid->empty() && !args.json) {
    console.out << say("Nothing is lent: there is nothing to pay back.") << '\n';
    return Exit::done;
  }
  return reportRecords(console, paid, ItemState::returned, args.json);
}

int release(Console& console, const Arguments& args) {
  if (!args.drive.empty()) {
    const auto holds = namedHolds(console, args);
    if (!holds) return report(console, holds.error());
    const Consent consent = (*holds)->releaseConsent();
    if (consent.token != args.consent) return askConsent(console, consent, args.json);
    return reportRecords(console, (*holds)->release(args.consent, console.stop), ItemState::gone, args.json);
  }
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  const auto consent = job->runs().releaseConsent();
  if (!consent) return report(console, consent.error());
  if (consent->token != args.consent) return askConsent(console, *consent, args.json);
  return reportRecords(console, job->release(args.consent, console.stop), ItemState::gone, args.json);
}

}  // namespace zt::cli
