// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/detector.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>
#include <map>
#include <mutex>
#include <thread>

#include "core/base/apart.h"

namespace zt {

void DetectorTable::add(std::shared_ptr<const Detector> detector) {
  const auto same =
      std::find_if(all_.begin(), all_.end(), [&](const auto& d) { return d->id() == detector->id(); });
  if (same == all_.end())
    all_.push_back(std::move(detector));
  else
    *same = std::move(detector);
}

namespace {

/// One detector, whatever becomes of it: what it throws is its problem too.
Result<void> runOne(const Detector& detector, const DetectInput& input, const FindSink& sink,
                    const std::stop_token& stop) {
  try {
    return detector.detect(input, sink, stop);
  } catch (const std::exception& e) {
    return fail(Errc::io, "detect", {}, e.what());
  }
}

/// A thing that several detectors found alone stands once: with what knows more of it, else with what found
/// it first in the table's order.
void standOnce(const DetectorTable& table, std::vector<Find>& finds) {
  const auto rank = [&](const Find& find) {
    for (std::size_t i = 0; i < table.all().size(); ++i)
      if (table.all()[i]->id() == find.kind) return i + (table.all()[i]->general() ? table.all().size() : 0);
    return 2 * table.all().size();
  };
  absl::flat_hash_map<NodeId, Find*> alone;
  for (Find& find : finds) {
    if (find.items.size() != 1 || find.items.front().node == noNode) continue;
    const auto [at, first] = alone.emplace(find.items.front().node, &find);
    if (first) continue;
    Find& other = *at->second;
    const bool stays = rank(other) <= rank(find);
    Find& keeps = stays ? other : find;
    Find& goes = stays ? find : other;
    for (const Fact& fact : goes.facts)
      if (fact.id == "also" && !isOfKind(keeps, std::get<std::string>(fact.value)))
        keeps.facts.push_back(fact);
    if (!isOfKind(keeps, goes.kind)) keeps.facts.push_back({"also", goes.kind});
    goes.items.clear();
    at->second = &keeps;
  }
  std::erase_if(finds, [](const Find& find) { return find.items.empty(); });
}

bool advises(const Find& find) {
  return std::any_of(find.offers.begin(), find.offers.end(),
                     [](const Offer& o) { return o.action == "advise"; });
}

/// A thing in several finds is what the strictest of them says, or what one says of it that has advice.
void tellOnce(const FindContext& context, std::vector<Find>& finds) {
  struct Told {
    Standing strictest;
    bool advised;
  };
  absl::flat_hash_map<NodeId, Told> told;
  for (const Find& find : finds)
    for (const Subject& item : find.items) {
      if (!item.inSurvey()) continue;
      Told& all = told.try_emplace(item.node, Told{find.standing, false}).first->second;
      all.strictest = std::min(all.strictest, find.standing);
      all.advised = all.advised || advises(find);
    }
  for (Find& find : finds) {
    if (advises(find)) continue;
    const auto toldElsewhere = [&](const Subject& item) {
      return item.inSurvey() && (told[item.node].advised || told[item.node].strictest < find.standing);
    };
    if (std::erase_if(find.items, toldElsewhere) > 0 && !find.items.empty()) context.weigh(find);
  }
  std::erase_if(finds, [](const Find& find) { return find.items.empty(); });
}

/// How much of a find others tell too: the same thing, or what lies in it. Without it, sums count once.
void sumOnce(const FindContext& context, const DetectorTable& table, std::vector<Find>& finds) {
  const SurveyTree& tree = context.tree;
  const auto general = [&](const Find& f) {
    return std::any_of(table.all().begin(), table.all().end(),
                       [&](const auto& d) { return d->id() == f.kind && d->general(); });
  };
  // Who tells a thing: of several the one with a reason of its own.
  absl::flat_hash_map<NodeId, std::size_t> tellerOf;
  for (const bool second : {false, true})
    for (std::size_t i = 0; i < finds.size(); ++i)
      if (general(finds[i]) == second)
        for (const Subject& item : finds[i].items)
          if (item.inSurvey()) tellerOf.try_emplace(item.node, i);
  std::vector<Bytes> elsewhere(finds.size(), 0);
  for (std::size_t i = 0; i < finds.size(); ++i) {
    // What others tell as well, by who counts it: the one that tells the same thing, or the next around it.
    std::map<std::size_t, std::vector<NodeId>> countedBy;
    for (const Subject& item : finds[i].items) {
      if (!item.inSurvey()) continue;
      if (tellerOf[item.node] != i) {
        countedBy[i].push_back(item.node);
        continue;
      }
      for (NodeId up = item.node; up != 0;) {
        up = tree.parent(up);
        const auto around = tellerOf.find(up);
        if (around == tellerOf.end()) continue;
        countedBy[around->second].push_back(item.node);
        break;
      }
    }
    for (const auto& [counter, nodes] : countedBy) elsewhere[counter] += context.gain.of(nodes).atMost;
  }
  for (std::size_t i = 0; i < finds.size(); ++i)
    if (elsewhere[i] > 0)
      finds[i].facts.push_back({"told-elsewhere", std::min(elsewhere[i], finds[i].gain.atMost)});
}

/// What cannot be removed is left out, and told; a find of nothing else stands, to be seen.
void leaveFixed(const FindContext& context, std::vector<Find>& finds) {
  if (context.fixed.empty()) return;
  for (Find& find : finds) {
    const auto stays = [&](const Subject& item) { return item.inSurvey() && context.cannotGo(item.node); };
    const auto count = static_cast<std::uint64_t>(std::count_if(find.items.begin(), find.items.end(), stays));
    if (count == 0) continue;
    find.facts.push_back({"cannot-go", count});
    if (count == find.items.size()) continue;
    std::erase_if(find.items, stays);
    context.weigh(find);
  }
}

/// What can be taken only with rights that are asked for is told: not every step can be done with them.
void noteForeign(const FindContext& context, std::vector<Find>& finds) {
  if (context.foreign.empty()) return;
  for (Find& find : finds) {
    const auto others = [&](const Subject& item) {
      return item.inSurvey() && context.needsRights(item.node);
    };
    const auto count = std::count_if(find.items.begin(), find.items.end(), others);
    if (count > 0) find.facts.push_back({"needs-rights", static_cast<std::uint64_t>(count)});
  }
}

}  // namespace

Detected detectAll(const DetectorTable& table, const DetectInput& input, const std::stop_token& stop,
                   const std::function<void(const Find&)>& found) {
  Detected all;
  std::mutex mutex;
  const FindSink take = [&](Find find) {
    const std::scoped_lock lock(mutex);
    if (found) found(find);
    all.finds.push_back(std::move(find));
    return !stop.stop_requested();
  };
  std::atomic<std::size_t> next{0};
  const auto work = [&](unsigned) {
    for (std::size_t i = next++; i < table.all().size() && !stop.stop_requested(); i = next++) {
      const Detector& detector = *table.all()[i];
      if (detector.needs() != Needs::survey && (input.files == nullptr || input.root == nullptr)) continue;
      if (const auto done = runOne(detector, input, take, stop); !done) {
        const std::scoped_lock lock(mutex);
        all.problems.push_back({std::string(detector.id()), done.error()});
      }
    }
  };
  fanOut(worthwhileThreads(), work);
  all.stopped = stop.stop_requested();
  standOnce(table, all.finds);
  tellOnce(*input.context, all.finds);
  leaveFixed(*input.context, all.finds);
  noteForeign(*input.context, all.finds);
  sumOnce(*input.context, table, all.finds);
  std::sort(all.finds.begin(), all.finds.end(), [](const Find& a, const Find& b) {
    return std::tie(b.gain.atMost, a.id) < std::tie(a.gain.atMost, b.id);
  });
  return all;
}

}  // namespace zt
