// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/proposer.h"

#include <algorithm>
#include <numeric>

#include "core/finds/evidence.h"
#include "core/plan/disjoint.h"

namespace zt {

namespace {

struct Choice {
  std::vector<const Find*> finds;
  Bytes regretBytes = 0;
  Bytes bound = 0;
  bool reached = false;
};

bool regretted(const Find* f) {
  return f->regret != Regret::none;
}

/// The best cover from finds that do not overlap, biggest first.
Choice cover(std::vector<const Find*> candidates, Bytes need) {
  std::stable_sort(candidates.begin(), candidates.end(),
                   [](const Find* a, const Find* b) { return a->gain.sure > b->gain.sure; });
  std::vector<const Find*> harmless;
  std::vector<const Find*> costly;
  std::partition_copy(candidates.begin(), candidates.end(), std::back_inserter(costly),
                      std::back_inserter(harmless), regretted);
  const auto total = [](const std::vector<const Find*>& list) {
    return std::accumulate(list.begin(), list.end(), Bytes{0},
                           [](Bytes b, const Find* f) { return b + f->gain.sure; });
  };
  Choice choice;
  const Bytes free = total(harmless);
  Bytes spare = 0;
  if (free < need) {
    choice.bound = need - free;
    std::vector<Bytes> amounts;
    amounts.reserve(costly.size());
    for (const Find* f : costly) amounts.push_back(f->gain.sure);
    const auto picked = coverTightly(amounts, choice.bound);
    choice.reached = !picked.empty();
    if (choice.reached)
      for (const std::size_t i : picked) choice.finds.push_back(costly[i]);
    else
      choice.finds = costly;
    choice.regretBytes = total(choice.finds);
    if (choice.reached) spare = choice.regretBytes - choice.bound;
  } else {
    choice.reached = true;
    spare = free - need;
  }
  // Harmless steps that are not needed are left out, the smallest first: fewest steps.
  std::vector<const Find*> needed;
  for (auto at = harmless.rbegin(); at != harmless.rend(); ++at) {
    if (choice.reached && (*at)->gain.sure <= spare) {
      spare -= (*at)->gain.sure;
    } else {
      needed.push_back(*at);
    }
  }
  choice.finds.insert(choice.finds.begin(), needed.rbegin(), needed.rend());
  return choice;
}

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

std::vector<const Find*> usable(const Choices& choices, Regret ceiling) {
  std::vector<const Find*> list;
  const auto take = [&](const Find& f) {
    if (f.offers.empty() || f.offers.front().gain.sure == 0 || !mayPropose(f, choices.marks)) return;
    if (f.regret <= ceiling && !choices.keptOut(f)) list.push_back(&f);
  };
  for (const Find& f : choices.said) take(f);
  for (const Find& f : choices.finds)
    if (!choices.inSaid(f)) take(f);
  return list;
}

/// Where finds overlap, either the whole (biggest first) or the parts (smallest first) are taken.
std::vector<const Find*> withoutOverlap(std::vector<const Find*> list, bool wholes, const SurveyTree& tree) {
  std::stable_sort(list.begin(), list.end(), [&](const Find* a, const Find* b) {
    return wholes ? a->gain.sure > b->gain.sure : a->gain.sure < b->gain.sure;
  });
  Disjoint disjoint(tree);
  std::erase_if(list, [&](const Find* f) { return !disjoint.take(*f); });
  return list;
}

Choice best(const Choices& choices, Regret ceiling, Bytes need) {
  const auto list = usable(choices, ceiling);
  Choice wholes = cover(withoutOverlap(list, true, choices.context.tree), need);
  Choice parts = cover(withoutOverlap(list, false, choices.context.tree), need);
  if (wholes.reached != parts.reached) return wholes.reached ? wholes : parts;
  const auto rank = [](const Choice& c) { return std::pair(c.regretBytes, c.finds.size()); };
  if (!wholes.reached) return rank(wholes) > rank(parts) ? wholes : parts;
  return rank(parts) < rank(wholes) ? parts : wholes;
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

Plan planOf(const Choice& choice, const StepTable& steps, const Marks& marks) {
  Plan plan;
  for (const Find* f : choice.finds)
    if (auto line = lineFor(*f, steps, f->offers.front().action, marks)) {
      line->proposed = true;
      plan.lines.push_back(std::move(*line));
    }
  std::stable_sort(plan.lines.begin(), plan.lines.end(), [](const PlanLine& a, const PlanLine& b) {
    // What goes into the trash goes before it.
    return std::tuple(a.kind == "trash", a.regret(), b.gain.sure) <
           std::tuple(b.kind == "trash", b.regret(), a.gain.sure);
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
  if (need == 0) {
    proposal.reached = proposal.optimal = true;
    return proposal;
  }
  const int highest = static_cast<int>(options.ceiling.value_or(Regret::personalGone));
  Choice choice;
  for (int level = 0; level <= highest && !choice.reached; ++level) {
    proposal.ceiling = static_cast<Regret>(level);
    choice = best(choices, proposal.ceiling, need);
  }
  if (!choice.reached) dropWorthless(choice.finds, need);
  dropSurplus(choice.finds, need, context);
  proposal.plan = planOf(choice, steps, marks);
  const Bytes given = plannedGain(proposal.plan, context).sure;
  proposal.reached = given >= need;
  proposal.shortBy = proposal.reached ? 0 : need - given;
  Bytes regretBytes = 0;
  Regret worst = Regret::none;
  for (const auto& line : proposal.plan.lines) {
    regretBytes += line.regret() == Regret::none ? 0 : line.gain.sure;
    worst = std::max(worst, line.regret());
  }
  if (!proposal.reached && !options.ceiling)
    proposal.ceiling = worst;  // nothing higher would have given more
  proposal.boundGap =
      choice.bound == 0 || regretBytes <= choice.bound
          ? 0
          : static_cast<double>(regretBytes - choice.bound) / static_cast<double>(choice.bound);
  proposal.optimal = proposal.reached && proposal.boundGap == 0;
  if (!proposal.reached) proposal.decisions = decisionsOf(choices, proposal.shortBy);
  if (!proposal.reached) proposal.lastResorts = lastResortsOf(choices);
  return proposal;
}

}  // namespace zt
