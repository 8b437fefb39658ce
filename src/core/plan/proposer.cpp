// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/proposer.h"

#include <algorithm>
#include <numeric>

#include "core/finds/evidence.h"
#include "core/plan/disjoint.h"
#include "core/plan/overlaps.h"
#include "core/plan/regret_weight.h"

namespace zt {

namespace {

struct Choice {
  std::vector<const Find*> finds;
  bool reached = false;
  bool optimal = false;
  double gap = 0;
};

/// Everything that a proposal is made from.
struct Choices {
  std::span<const Find> finds;
  const FindContext& context;
  const Marks& marks;
  const ProposeOptions& options;
  PathSet keep;
  /// One for each thing that somebody said may go as it is, whatever was found in it.
  std::vector<Find> said;
  PathSet saidPaths;

  bool inSaid(const Find& find) const {
    return std::all_of(find.items.begin(), find.items.end(),
                       [&](const Subject& item) { return saidPaths.covers(item.path); });
  }
  bool keptOut(const Find& find) const {
    const auto& without = options.without;
    return std::find(without.begin(), without.end(), find.id) != without.end() ||
           std::any_of(find.items.begin(), find.items.end(),
                       [&](const Subject& item) { return keep.touches(item.path); });
  }
};

/// What somebody said may go, each as one thing: unless something in it is locked, kept, in use, or not to go
/// now.
void takeSaid(Choices& choices, const StepTable& steps) {
  const FindContext& context = choices.context;
  PathSet notNow;
  for (const auto& [path, said] : choices.marks.all())
    if (said.mark == Mark::notNow) notNow.insert(path);
  for (const auto& [path, said] : choices.marks.all()) {
    const auto node = said.mark == Mark::mayGo ? context.tree.find(path) : std::nullopt;
    // Marks come in the order of their paths: what lies above was taken before.
    if (!node || *node == 0 || choices.saidPaths.covers(path)) continue;
    const bool stays = choices.marks.locks(path) || context.locked(path) || notNow.anyIn(path) ||
                       choices.keep.touches(path) || context.cannotGo(*node) ||
                       context.holderIn(*node) != nullptr ||
                       context.strictest(*node).standing <= Standing::kept ||
                       context.points.lockAround(context.tree, *node) != PointLock::none;
    if (stays) continue;
    Find find = pickedFind(context, *node);
    priceOffers(find, steps);
    choices.said.push_back(std::move(find));
    choices.saidPaths.insert(path);
  }
}

/// Whether a find can be used as a loan: it is switched off for a while, and paid back.
bool mayLend(const Find& find, const StepTable& steps, const Marks& marks) {
  if (find.offers.empty() || marks.locks(find) || marks.of(find) == Mark::notNow) return false;
  const StepPtr step = steps.find(find.offers.front().action);
  return step != nullptr && step->undo == UndoRule::payBack;
}

std::vector<const Find*> usable(const Choices& choices, const StepTable& steps, Regret ceiling) {
  std::vector<const Find*> list;
  const auto take = [&](const Find& f) {
    if (f.offers.empty() || f.offers.front().gain.sure == 0) return;
    const bool lent = choices.options.needForNow > 0 && mayLend(f, steps, choices.marks);
    const bool weighed = std::all_of(f.items.begin(), f.items.end(),
                                     [](const Subject& item) { return typeOf(item).isWeighed(item); });
    if (!lent && !(weighed && mayPropose(f, choices.marks))) return;
    if (f.regret <= ceiling && !choices.keptOut(f)) list.push_back(&f);
  };
  for (const Find& f : choices.said) take(f);
  for (const Find& f : choices.finds)
    if (!choices.inSaid(f)) take(f);
  return list;
}

/// The cheapest of what may be used up to a ceiling.
Choice best(const Choices& choices, const EvidenceDesk& desk, const StepTable& steps, Regret ceiling,
            Bytes need) {
  const auto list = usable(choices, steps, ceiling);
  ChoiceProblem problem;
  problem.need = need;
  problem.needForNow = std::max(need, choices.options.needForNow);
  for (const Find* f : list) {
    const StepPtr step = steps.find(f->offers.front().action);
    ChoiceCost cost = costOf(*f, *step, desk.of(*f), choices.context.options.now);
    // With the fewest steps everything costs a step, and regret decides only what takes part at all.
    if (choices.options.prefer == ProposeOptions::Prefer::fewestSteps) cost = {cost.effort, 0};
    problem.things.push_back({f->offers.front().gain.sure, cost, !mayLend(*f, steps, choices.marks)});
  }
  relate(problem, list, choices.context);
  const Chosen chosen = choose(problem);
  Choice choice;
  choice.reached = chosen.reaches;
  choice.optimal = chosen.optimal;
  choice.gap = chosen.gap;
  for (std::size_t i = 0; i < list.size(); ++i)
    if (chosen.taken[i]) choice.finds.push_back(list[i]);
  return choice;
}

/// Why what might be worth something is not on the plan; the largest first.
std::vector<LeftOut> leftOut(const Choices& choices, const Choice& choice, Regret ceiling) {
  std::vector<LeftOut> all;
  PathSet taken;
  for (const Find* f : choice.finds)
    for (const Subject& item : f->items)
      if (item.inSurvey()) taken.insert(item.path);
  const auto overlaps = [&](const Find& f) {
    return std::any_of(f.items.begin(), f.items.end(),
                       [&](const Subject& item) { return item.inSurvey() && taken.touches(item.path); });
  };
  const absl::flat_hash_set<const Find*> chosen(choice.finds.begin(), choice.finds.end());
  std::vector<const Find*> largest;
  for (const Find& f : choices.finds)
    if (!chosen.contains(&f)) largest.push_back(&f);
  constexpr std::size_t most = 20;
  const auto end = largest.begin() + static_cast<std::ptrdiff_t>(std::min(most * 3, largest.size()));
  std::partial_sort(largest.begin(), end, largest.end(),
                    [](const Find* a, const Find* b) { return a->gain.atMost > b->gain.atMost; });
  for (auto at = largest.begin(); at != end && all.size() < most; ++at) {
    const Find& f = **at;
    if (f.standing == Standing::bedrock || f.offers.empty()) continue;
    const bool may = mayPropose(f, choices.marks);
    const char* why = choices.marks.locks(f) || choices.keptOut(f) ? "kept"
                      : overlaps(f)                                ? "overlaps"
                      : !may                                       ? "person"
                      : f.offers.front().gain.sure == 0            ? "not-sure"
                      : f.regret > ceiling                         ? "regret"
                                                                   : "not-needed";
    all.push_back({f.id, f.gain.atMost, why});
  }
  return all;
}

/// Sums of single gains never exceed the gain of the set, so together the lines may give more than was
/// needed: drop what can go, the most regretted first.
void dropSurplus(std::vector<const Find*>& finds, Bytes need, const FindContext& context) {
  const auto gainOf = [&](const Find* without) {
    std::vector<Subject> items;
    for (const Find* f : finds)
      if (f != without) items.insert(items.end(), f->items.begin(), f->items.end());
    return context.gainOf(items).sure;
  };
  const Bytes together = gainOf(nullptr);
  const Bytes singly = std::accumulate(finds.begin(), finds.end(), Bytes{0},
                                       [](Bytes b, const Find* f) { return b + f->gain.sure; });
  if (together <= singly || finds.size() > 300) return;
  std::vector<const Find*> order = finds;
  std::stable_sort(order.begin(), order.end(), [](const Find* a, const Find* b) {
    return std::pair(a->regret, a->gain.sure) > std::pair(b->regret, b->gain.sure);
  });
  for (const Find* f : order)
    if (gainOf(f) >= need) std::erase(finds, f);
}

/// Where nothing reaches, a plan is not filled up with hundreds of lines that each give next to nothing,
/// unless they are worth something together.
void dropWorthless(std::vector<const Find*>& finds, Bytes need) {
  const auto worthless = [&](const Find* f) { return f->offers.front().gain.sure < need / 1000; };
  Bytes together = 0;
  for (const Find* f : finds) together += worthless(f) ? f->offers.front().gain.sure : 0;
  if (together < need / 50) std::erase_if(finds, worthless);
}

/// How much likelier somebody lets a thing go that lay untouched for long, and that may be elsewhere, too.
std::uint32_t ageAndCopies(const Find& find, const Evidence& known, TimeNs now) {
  const TimeNs age = now - find.newest;
  const std::uint32_t byAge = age > 3 * 365L * nsPerDay ? 15 : age > 365 * nsPerDay ? 8 : 0;
  if (find.items.size() != 1) return byAge;
  return byAge + (!known.namesakes.empty() ? 20u : 0u) + (!known.elsewhere.empty() ? 12u : 0u);
}

/// How much of what is short a thing gives, of forty.
std::uint32_t share(const Find& find, Bytes shortBy) {
  constexpr double all = 40;
  if (find.gain.atMost >= shortBy) return static_cast<std::uint32_t>(all);
  return static_cast<std::uint32_t>(all * static_cast<double>(find.gain.atMost) /
                                    static_cast<double>(shortBy));
}

/// What only a person may decide, without overlap, in the order that is worth asking in: by what it gives of
/// what is short, by kind, age and copies elsewhere, then by bytes. A hundredth of what is short is not worth
/// asking.
std::vector<Decision> decisionsOf(const Choices& choices, Bytes shortBy) {
  constexpr std::size_t most = 20;
  std::vector<const Find*> list;
  for (const Find& f : choices.finds) {
    const bool open = f.standing == Standing::ownersCall || f.standing == Standing::unjudged;
    const bool said = choices.marks.locks(f) || choices.marks.of(f) == Mark::notNow;
    if (open && !said && !f.offers.empty() && f.gain.atMost > shortBy / 100 &&
        !mayPropose(f, choices.marks) && !choices.keptOut(f))
      list.push_back(&f);
  }
  const EvidenceDesk desk(choices.context, list, 0);
  struct Ranked {
    const Find* find;
    Evidence known;
    std::uint32_t rank;
  };
  std::vector<Ranked> ranked;
  for (const Find* f : list) {
    Evidence known = desk.of(*f);
    const std::uint32_t rank =
        f->likelihood + share(*f, shortBy) + ageAndCopies(*f, known, choices.context.options.now);
    ranked.push_back({f, std::move(known), rank});
  }
  std::stable_sort(ranked.begin(), ranked.end(), [](const Ranked& a, const Ranked& b) {
    return std::pair(a.rank, a.find->gain.atMost) > std::pair(b.rank, b.find->gain.atMost);
  });
  Disjoint disjoint(choices.context.tree);
  std::vector<Decision> decisions;
  for (const auto& [f, known, rank] : ranked) {
    if (decisions.size() == most) break;
    if (!disjoint.take(*f)) continue;
    Decision d;
    d.find = f->id;
    d.path = f->items.size() == 1 ? f->items.front().path : f->place;
    d.bytes = f->gain.atMost;
    d.kind = f->kind;
    d.standing = f->standing;
    d.untouched = f->newest;
    if (f->items.size() == 1 && !known.namesakes.empty()) d.perhapsCopy = known.namesakes.front().path;
    if (f->items.size() == 1 && !known.elsewhere.empty()) d.perhapsOn = known.elsewhere.front().file.drive;
    d.comesAgain = textIn(*f, "arrived") == "can-be-fetched";
    decisions.push_back(std::move(d));
  }
  return decisions;
}

Ladder ladderIn(const Choices& choices) {
  std::vector<const Find*> all;
  for (const Find& f : choices.said) all.push_back(&f);
  for (const Find& f : choices.finds)
    if (!choices.inSaid(f) && !choices.keptOut(f)) all.push_back(&f);
  return ladderOf(all, choices.context, choices.marks);
}

/// What is known to be free to go, and only its own system or its owner's program can let go.
std::vector<std::string> adviceIn(const Choices& choices) {
  std::vector<std::string> all;
  for (const Find& f : choices.finds)
    if (!f.offers.empty() && f.offers.front().gain.when == GainTime::later && mayPropose(f, choices.marks) &&
        !choices.keptOut(f))
      all.push_back(f.id);
  return all;
}

/// In the order in which they are less bad.
std::vector<LastResort> lastResortsOf(const Choices& choices) {
  std::vector<LastResort> all;
  const auto add = [&](const char* id, auto belongs) {
    LastResort resort{id, 0, 0};
    Disjoint disjoint(choices.context.tree);
    for (const Find& f : choices.finds) {
      if (!belongs(f) || choices.marks.locks(f) || choices.keptOut(f) || !disjoint.take(f)) continue;
      resort.atMost += f.gain.atMost;
      ++resort.finds;
    }
    if (resort.finds > 0) all.push_back(std::move(resort));
  };
  add("programs", [](const Find& f) {
    return f.kind == "programs" && !f.offers.empty() && f.standing != Standing::bedrock;
  });
  add("memory-files", [](const Find& f) { return f.kind == "memory-files" && !f.offers.empty(); });
  add("move", [](const Find& f) {
    return f.standing == Standing::ownersCall && f.regret >= Regret::personalMoved && f.kind != "programs";
  });
  return all;
}

/// What is personal and may go is moved where somewhere is to be moved to; all else goes as it usually does.
Result<PlanLine> lineOf(const Find& find, const StepTable& steps, const Marks& marks,
                        const ProposeOptions& options) {
  const bool offered = std::any_of(find.offers.begin(), find.offers.end(),
                                   [](const Offer& o) { return o.action == "transfer"; });
  if (options.to.empty() || !offered || find.regret < Regret::personalMoved)
    return lineFor(find, steps, find.offers.front().action, marks);
  StepParameters told;
  told.set("to", StepParameters::Place{options.to});
  return lineFor(find, steps, "transfer", marks, told);
}

Plan planOf(const Choice& choice, const StepTable& steps, const Marks& marks, const ProposeOptions& options) {
  Plan plan;
  for (const Find* f : choice.finds)
    if (auto line = lineOf(*f, steps, marks, options)) {
      line->proposed = true;
      plan.lines.push_back(std::move(*line));
    }
  std::stable_sort(plan.lines.begin(), plan.lines.end(), [](const PlanLine& a, const PlanLine& b) {
    return std::tuple(turnOf(a), a.regret(), b.gain.sure) < std::tuple(turnOf(b), b.regret(), a.gain.sure);
  });
  return plan;
}

}  // namespace

bool mayPropose(const Find& find, const Marks& marks) {
  if (find.standing == Standing::bedrock || marks.locks(find)) return false;
  const auto mark = marks.of(find);
  // What is kept by what is known (records, keys, mail) goes only if that very thing was meant, not its
  // folder.
  if (mark == Mark::mayGo)
    return find.standing != Standing::kept ||
           std::all_of(find.items.begin(), find.items.end(),
                       [&](const Subject& item) { return marks.all().contains(item.path); });
  if (mark == Mark::notNow) return false;
  // What has to be closed, stopped or shut down first is a person's to ask for.
  const bool waits = !find.offers.empty() &&
                     std::any_of(find.offers.front().conditions.begin(), find.offers.front().conditions.end(),
                                 [](const std::string& condition) { return condition.starts_with("not-"); });
  if (waits) return false;
  const bool known = find.standing == Standing::rebuilds || find.standing == Standing::spent;
  // A way back that a known place keeps is one of the rungs; everything else of an owner is the owner's.
  // Folders by date hold what was deleted since as well, and nobody but their owner knows whether that was
  // meant.
  const bool folders = find.kind == "stale-backups" && hasFact(find, "newest-stays");
  const bool wayBack = find.standing == Standing::ownersCall && find.regret == Regret::wayBack && !folders;
  return (known && find.regret <= Regret::wayBack) || wayBack;
}

Proposal propose(std::span<const Find> finds, Bytes need, const FindContext& context, const StepTable& steps,
                 const Marks& marks, const ProposeOptions& options) {
  Choices choices{finds, context, marks, options, PathSet(options.keep), {}, {}};
  takeSaid(choices, steps);
  Proposal proposal;
  proposal.ladder = ladderIn(choices);
  proposal.advice = adviceIn(choices);
  if (need == 0 && options.needForNow == 0) {
    proposal.reached = proposal.optimal = true;
    return proposal;
  }
  const int highest = static_cast<int>(options.ceiling.value_or(Regret::personalGone));
  // One pass over the survey for all rungs.
  const auto all = usable(choices, steps, static_cast<Regret>(highest));
  const EvidenceDesk desk(context, all, 0);
  Choice choice;
  for (int level = 0; level <= highest && !choice.reached; ++level) {
    proposal.ceiling = static_cast<Regret>(level);
    choice = best(choices, desk, steps, proposal.ceiling, need);
  }
  if (!choice.reached) dropWorthless(choice.finds, need);
  dropSurplus(choice.finds, need, context);
  proposal.plan = planOf(choice, steps, marks, options);
  const Bytes given = plannedGain(proposal.plan, context).sure;
  proposal.reached = given >= std::max(need, options.needForNow);
  proposal.shortBy = proposal.reached ? 0 : std::max(need, options.needForNow) - given;
  Regret worst = Regret::none;
  for (const auto& line : proposal.plan.lines) worst = std::max(worst, line.regret());
  if (!proposal.reached && !options.ceiling)
    proposal.ceiling = worst;  // nothing higher would have given more
  proposal.boundGap = choice.gap;
  proposal.optimal = proposal.reached && choice.optimal;
  proposal.left = leftOut(choices, choice, proposal.ceiling);
  if (!proposal.reached) proposal.decisions = decisionsOf(choices, proposal.shortBy);
  if (!proposal.reached) proposal.lastResorts = lastResortsOf(choices);
  return proposal;
}

}  // namespace zt
