// SPDX-License-Identifier: GPL-3.0-or-later
// propose, plan
#include <unistd.h>

#include <algorithm>
#include <fstream>
#include <iomanip>
#include <iostream>

#include "cli/verbs.h"
#include "core/finds/evidence.h"
#include "core/job/named_path.h"
#include "core/job/outcome_json.h"
#include "core/os/paths.h"
#include "core/plan/line_conditions.h"
#include "core/plan/plan_json.h"

namespace zt::cli {

namespace {

Json planJson(const Job& job, const Plan& plan) {
  const FindContext& context = *job.surveys().context();
  Json j = toJson(plan);
  const auto adds = stepGains(plan, context);
  for (std::size_t i = 0; i < plan.lines.size(); ++i) {
    j["lines"][i]["adds_bytes"] = adds[i].sure;
    j["lines"][i]["conditions"] = conditionsOf(plan.lines[i], context, ::geteuid());
    j["lines"][i]["held_by"] = heldByJson(context, plan.lines[i].items);
  }
  const PlannedGain planned = job.planBook().gainOf(plan);
  j["planned"] = {{"sure_bytes", planned.sure}, {"at_most_bytes", planned.atMost}};
  j["planned"]["refills_bytes"] = planned.refillKnown ? Json(planned.refills) : Json();
  j["free_bytes"] = job.reading().free;
  j["targets"] = Json::array();
  for (const auto& t : outlook(job.planBook().targets(), job.reading().free, planned)) {
    Json target = toJson(t.target);
    target["met"] = t.met;
    target["surplus_bytes"] = t.surplus;
    j["targets"].push_back(std::move(target));
  }
  return j;
}

void printPlan(Console& console, const Job& job, const Plan& plan) {
  const FindContext& context = *job.surveys().context();
  const auto adds = stepGains(plan, context);
  for (std::size_t i = 0; i < plan.lines.size(); ++i) {
    const PlanLine& line = plan.lines[i];
    console.out << column(adds[i].sure) << "  "
                << padded(line.enabled ? words().step(*line.step) : say("off"), 12)
                << (line.items.size() == 1 ? escapePath(line.items[0].path)
                                           : say("%1, %2 in %3", {line.id, words().things(line.items.size()),
                                                                  words().path(line.place)}))
                << "\n                        " << say("regret: %1", {words().regret(line.regret())});
    if (adds[i].sure < adds[i].atMost) console.out << say("; at most %1", {words().bytes(adds[i].atMost)});
    for (const std::string& c : conditionsOf(line, context, ::geteuid()))
      console.out << "\n                        " << words().lineCondition(c);
    console.out << '\n';
  }
  const PlannedGain planned = job.planBook().gainOf(plan);
  console.out << say("free %1 + planned %2",
                     {words().bytes(job.reading().free), words().bytes(planned.sure)});
  if (planned.atMost != planned.sure) console.out << say(" (at most %1)", {words().bytes(planned.atMost)});
  if (const Target* t = hardest(job.planBook().targets())) {
    const SignedBytes over = surplus(*t, job.reading().free + planned.sure);
    console.out << (over >= 0 ? say(" − target %1 = %2 to spare",
                                    {words().bytes(t->bytes), words().signedBytes(over)})
                              : say(" − target %1 = %2 short",
                                    {words().bytes(t->bytes), words().signedBytes(-over)}));
  }
  console.out << '\n';
  if (const std::string note = words().refillNote(planned); !note.empty()) console.out << note << '\n';
  const auto all = outlook(job.planBook().targets(), job.reading().free, planned);
  for (const TargetOutlook& t : all)
    if (all.size() > 1)
      console.out << "  "
                  << say(t.surplus >= 0 ? "reaches %1, %2: %3 to spare" : "misses %1, %2: %3 short",
                         {words().targetName(t.target), words().bytes(t.target.bytes),
                          words().signedBytes(t.surplus >= 0 ? t.surplus : -t.surplus)})
                  << '\n';
}

bool writeText(const std::string& path, const std::string& text) {
  std::ofstream out(path, std::ios::binary);
  out << text;
  out.close();
  return out.good();
}

/// What others would have to see to, as far as it is among the finds.
std::vector<const Find*> adviceOf(const Job& job, const Proposal& p) {
  std::vector<const Find*> all;
  for (const std::string& id : p.advice)
    if (const Find* f = job.surveys().find(id)) all.push_back(f);
  return all;
}

/// The command or the words by which a thing is let go on its own system.
std::string howOf(const Find& f) {
  if (std::string command = textIn(f, "command"); !command.empty()) return command;
  const Place* place = placeOf(f, *KnownPlaces::builtIn());
  if (place == nullptr) return {};
  return place->command.empty() ? say(place->words.c_str()) : place->command;
}

Json proposalJson(const Job& job, const Proposal& p) {
  Json j = planJson(job, p.plan);
  j["ceiling"] = name(p.ceiling);
  j["reached"] = p.reached;
  j["short_bytes"] = p.shortBy;
  j["proof"] = {{"optimal", p.optimal}, {"bound_gap", p.boundGap}};
  j["ladder"] = Json::array();
  for (std::size_t i = 0; i < static_cast<std::size_t>(regrets); ++i)
    j["ladder"].push_back({{"regret", name(static_cast<Regret>(i))},
                           {"adds_bytes", p.ladder.rungs[i].adds},
                           {"lines", p.ladder.rungs[i].steps}});
  j["left"] = Json::array();
  for (const LeftOut& l : p.left)
    j["left"].push_back({{"find", l.find}, {"at_most_bytes", l.bytes}, {"why", l.why}});
  j["advice"] = Json::array();
  for (const Find* f : adviceOf(job, p)) {
    Json advice{{"find", f->id}, {"title", words().findTitle(*f)}, {"at_most_bytes", f->gain.atMost}};
    putPath(advice, "path", whereIs(*f));
    advice["how"] = howOf(*f);
    j["advice"].push_back(std::move(advice));
  }
  j["last_resorts"] = Json::array();
  for (const LastResort& r : p.lastResorts)
    j["last_resorts"].push_back(
        {{"id", r.id}, {"at_most_bytes", r.atMost}, {"finds", r.finds}, {"needs", words().lastResort(r.id)}});
  j["decisions"] = Json::array();
  for (const Decision& d : p.decisions) {
    Json decision{{"find", d.find},
                  {"bytes", d.bytes},
                  {"standing", name(d.standing)},
                  {"why", words().decision(d, job.surveys().context()->options.now)}};
    putPath(decision, "path", d.path);
    decision["untouched_since_ns"] = d.untouched;
    decision["can_be_fetched"] = d.comesAgain;
    if (!d.perhapsCopy.empty()) putPath(decision, "perhaps_copy", d.perhapsCopy);
    if (!d.perhapsOn.empty()) decision["perhaps_on"] = d.perhapsOn;
    j["decisions"].push_back(std::move(decision));
  }
  return j;
}

void printProposal(Console& console, const Job& job, const Proposal& p) {
  printPlan(console, job, p.plan);
  console.out << (p.reached ? say("reaches the target; the worst to regret: ")
                            : say("does not reach the target; ceiling: "))
              << words().regret(p.ceiling) << '\n';
  if (const std::string ladder = words().ladder(p.ladder); !ladder.empty())
    console.out << say("The ladder: %1", {ladder}) << '\n';
  const auto advice = adviceOf(job, p);
  if (!advice.empty()) console.out << say("For its own system to do, none of it sure:") << '\n';
  for (const Find* f : advice)
    console.out << column(f->gain.atMost) << "  " << words().findTitle(*f) << ": " << howOf(*f) << '\n';
  if (!p.decisions.empty()) console.out << say("What only a person can decide:") << '\n';
  for (const Decision& d : p.decisions)
    console.out << column(d.bytes) << "  " << escapePath(d.path) << ": "
                << words().decision(d, job.surveys().context()->options.now) << '\n';
  if (!p.lastResorts.empty()) console.out << say("Last, if all that is not enough; at most:") << '\n';
  for (const LastResort& r : p.lastResorts)
    console.out << column(r.atMost) << "  " << words().lastResort(r.id) << '\n';
}

}  // namespace

namespace {

using Prefer = ProposeOptions::Prefer;
constexpr std::pair<const char*, Prefer> preferences[] = {{"least-regret", Prefer::leastRegret},
                                                          {"fewest-steps", Prefer::fewestSteps}};

/// The ways to reach the target, side by side: nothing is put on the plan.
int showAlternatives(Console& console, const Job& job, const ProposeOptions& options, bool json) {
  const auto ways = job.planBook().alternatives(options);
  if (!ways) return report(console, ways.error());
  Json all = Json::array();
  for (const auto& way : *ways) {
    const Proposal& p = way.proposal;
    all.push_back({{"id", way.id},
                   {"reached", p.reached},
                   {"ceiling", name(p.ceiling)},
                   {"lines", p.plan.lines.size()},
                   {"sure_bytes", way.sure}});
    if (!json)
      console.out << column(way.sure) << "  "
                  << say(p.reached ? "%1: %2, reaches; %3" : "%1: %2, short; %3",
                         {words().alternative(way.id), words().lines(p.plan.lines.size()),
                          words().regret(p.ceiling)})
                  << '\n';
  }
  if (json) print(console, {{"alternatives", std::move(all)}});
  return Exit::done;
}

}  // namespace

int proposeVerb(Console& console, const Arguments& args) {
  ProposeOptions options;
  for (const auto& [id, prefer] : preferences)
    if (args.prefer == id) options.prefer = prefer;
  if (!args.to.empty()) {
    const auto to = canonicalPath(args.to);
    if (!to) return report(console, to.error());
    options.to = *to;
  }
  if (!args.ceiling.empty()) {
    options.ceiling = regretNamed(args.ceiling);
    if (!options.ceiling) return report(console, Error{Errc::badInput, "ceiling", {}, 0, args.ceiling});
  }
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  for (const auto& keep : args.keep) {
    const auto path = namedPath(console.workshop, *job, keep);
    if (!path) return report(console, path.error());
    options.keep.push_back(*path);
  }
  if (args.alternatives) return showAlternatives(console, *job, options, args.json);
  auto proposal = job->planBook().propose(options);
  if (!proposal) return report(console, proposal.error());
  if (!args.output.empty()) {
    if (!writeText(args.output, toJson(proposal->plan).dump(2)))
      return report(console, Error{Errc::io, "write", args.output, 0, {}});
  } else if (auto set = job->planBook().set(proposal->plan); !set) {
    return report(console, set.error());
  }
  if (args.json)
    print(console, proposalJson(*job, *proposal));
  else
    printProposal(console, *job, *proposal);
  return proposal->reached ? Exit::done : Exit::partly;
}

namespace {

/// The rule on many that was asked for; fails with badInput for an age that is none.
Result<Narrowing> ruleOf(const Workshop& workshop, const Job& job, const Arguments& args) {
  Narrowing rule;
  if (!args.older.empty()) {
    const auto days = parseDays(args.older);
    if (!days) return fail(Errc::badInput, "older", {}, args.older);
    rule.before = job.surveys().context()->options.now - *days * nsPerDay;
  }
  rule.newestStay = args.newestStay;
  for (const std::string& path : args.but) {
    const auto named = namedPath(workshop, job, path);
    if (!named) return tl::unexpected(named.error());
    rule.but.push_back(*named);
  }
  return rule;
}

/// What the action is told beside its things; fails with badInput for what it does not take.
Result<StepParameters> toldParameters(const Workshop& workshop, const Arguments& args) {
  StepParameters told;
  std::vector<std::string> all = args.with;
  if (!args.to.empty()) all.push_back("to=" + args.to);
  if (!args.second.empty()) all.push_back("second=" + args.second);
  const StepPtr step = workshop.craft->steps.find(args.action);
  for (const std::string& one : all) {
    const auto sign = one.find('=');
    if (step == nullptr || sign == std::string::npos) return fail(Errc::badInput, "parameters", {}, one);
    const std::string id = one.substr(0, sign);
    const auto spec = std::find_if(step->takes.begin(), step->takes.end(),
                                   [&](const ParameterSpec& s) { return s.id == id; });
    if (spec == step->takes.end()) return fail(Errc::badInput, "parameters", {}, one);
    auto value = parameterFrom(spec->kind, one.substr(sign + 1));
    if (!value) return tl::unexpected(value.error());
    // From wherever it is carried out later.
    if (auto* place = std::get_if<StepParameters::Place>(&*value);
        place != nullptr && spec->kind == ParameterKind::drive)
      if (const auto whole = canonicalPath(place->path)) place->path = *whole;
    told.set(id, std::move(*value));
  }
  return told;
}

Result<void> addItems(const Workshop& workshop, Job& job, const Arguments& args) {
  const auto rule = ruleOf(workshop, job, args);
  if (!rule) return tl::unexpected(rule.error());
  std::vector<std::string> ids;
  std::vector<PathBytes> paths;
  for (const auto& item : args.items) {
    if (job.surveys().find(item) != nullptr) {
      ids.push_back(item);
      continue;
    }
    const auto path = namedPath(workshop, job, item);
    if (!path) return tl::unexpected(path.error());
    paths.push_back(*path);
  }
  if (!paths.empty()) {
    const auto picked = job.planBook().pick(paths);
    if (!picked) return tl::unexpected(picked.error());
    ids.insert(ids.end(), picked->begin(), picked->end());
  }
  if (args.withPoints) return job.planBook().addWithPoints(ids);
  const auto told = toldParameters(workshop, args);
  if (!told) return tl::unexpected(told.error());
  return job.planBook().add(ids, args.action, *rule, *told);
}

/// The id of the plan's line that an item names: by its id, or by the path of one of its things.
Result<std::string> lineOf(const Workshop& workshop, const Job& job, const std::string& item) {
  const Plan& plan = job.planBook().plan();
  if (plan.find(item) != nullptr) return item;
  const PathBytes path = namedPath(workshop, job, item).value_or(unescapePath(item));
  for (const PlanLine& line : plan.lines)
    for (const Subject& s : line.items)
      if (s.path == path) return line.id;
  return fail(Errc::notThere, "plan", path, "no such line");
}

/// All of them, or none.
Result<void> editLines(const Workshop& workshop, Job& job, const Arguments& args) {
  std::vector<std::string> ids;
  for (const auto& item : args.items) {
    const auto id = lineOf(workshop, job, item);
    if (!id) return tl::unexpected(id.error());
    ids.push_back(*id);
  }
  if (args.edit == "drop") return job.planBook().drop(ids);
  return job.planBook().edit([&](Plan& plan) {
    for (const std::string& id : ids) {
      const auto at = static_cast<std::ptrdiff_t>(plan.find(id) - plan.lines.data());
      const auto last = static_cast<std::ptrdiff_t>(plan.lines.size()) - 1;
      const auto to = std::clamp<std::ptrdiff_t>(at + args.by, 0, last);
      const auto first = plan.lines.begin();
      if (to < at) std::rotate(first + to, first + at, first + at + 1);
      if (to > at) std::rotate(first + at, first + at + 1, first + to + 1);
    }
  });
}

}  // namespace

int plan(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  Result<void> done;
  if (args.edit == "add") done = addItems(console.workshop, *job, args);
  if (args.edit == "drop" || args.edit == "move") done = editLines(console.workshop, *job, args);
  if (!done) return report(console, done.error());
  if (args.json)
    print(console, planJson(*job, job->planBook().plan()));
  else
    printPlan(console, *job, job->planBook().plan());
  return Exit::done;
}

}  // namespace zt::cli
