// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/choose.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace zt {

Bytes ChoiceProblem::gainOf(const std::vector<bool>& taken, bool lasting) const {
  Bytes sum = 0;
  const auto counts = [&](std::uint32_t i) { return taken[i] && (!lasting || things[i].lasts); };
  for (std::uint32_t i = 0; i < things.size(); ++i)
    if (counts(i)) sum += things[i].gain;
  for (const Together& t : together)
    if (std::all_of(t.things.begin(), t.things.end(), counts)) sum += t.gain;
  return sum;
}

ChoiceCost ChoiceProblem::costOf(const std::vector<bool>& taken) const {
  ChoiceCost sum;
  for (std::size_t i = 0; i < things.size(); ++i)
    if (taken[i]) sum += things[i].cost;
  return sum;
}

bool ChoiceProblem::allows(const std::vector<bool>& taken) const {
  return std::all_of(needs.begin(), needs.end(),
                     [&](const auto& n) { return !taken[n.first] || taken[n.second]; }) &&
         std::none_of(excludes.begin(), excludes.end(),
                      [&](const auto& e) { return taken[e.first] && taken[e.second]; });
}

namespace {

using Wide = __int128;

/// One number for both parts of a cost: the second decides only where the first is equal.
Wide wide(const ChoiceCost& cost) {
  return (static_cast<Wide>(cost.regret) << 40) + static_cast<Wide>(cost.effort);
}

class Search {
public:
  explicit Search(const ChoiceProblem& p) : p_(p), size_(p.things.size()), state_(size_, open), end_(size_) {
    needsOf_.resize(size_);
    neededBy_.resize(size_);
    against_.resize(size_);
    for (const auto& [one, two] : p.needs) needsOf_[one].push_back(two), neededBy_[two].push_back(one);
    for (const auto& [one, two] : p.excludes) against_[one].push_back(two), against_[two].push_back(one);
    shareGains();
    order_.resize(size_);
    std::iota(order_.begin(), order_.end(), 0u);
    std::stable_sort(order_.begin(), order_.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return cheaper(a, b); });
    placeOf_.resize(size_);
    for (std::size_t k = 0; k < size_; ++k) placeOf_[order_[k]] = k;
  }

  Chosen solve() {
    Chosen chosen;
    chosen.taken.assign(size_, false);
    if (p_.need == 0 && p_.needForNow == 0) {
      chosen.reaches = chosen.optimal = true;
      return chosen;
    }
    const Wide bound = rootBound();
    greedy();
    if (size_ <= exact) {
      reset();
      left_ = 2'000'000;
      descend(0);
      chosen.optimal = left_ > 0;
    } else if (found_) {
      searchCore();
    }
    if (!found_) {
      takeAll();
      chosen.taken = taken();
      chosen.cost = p_.costOf(chosen.taken);
      return chosen;
    }
    chosen.taken = best_;
    chosen.reaches = true;
    chosen.cost = p_.costOf(best_);
    const long double least = static_cast<long double>(bound >> 40);
    const long double regret = static_cast<long double>(chosen.cost.regret);
    chosen.optimal = chosen.optimal || bestCost_ <= bound;
    if (!chosen.optimal && regret > least)
      chosen.gap = least > 0 ? static_cast<double>((regret - least) / least) : 1;
    return chosen;
  }

private:
  enum State : std::uint8_t { open, in, out };
  static constexpr std::size_t exact = 40;
  static constexpr std::size_t core = 36;

  /// What comes only together is shared out: whoever takes all has all, and whoever takes some has no less
  /// than is true.
  void shareGains() {
    gain_.resize(size_);
    groupsOf_.resize(size_);
    inGroup_.assign(p_.together.size(), 0);
    for (std::uint32_t t = 0; t < p_.together.size(); ++t) {
      const auto& things = p_.together[t].things;
      groupLasts_.push_back(
          std::all_of(things.begin(), things.end(), [&](auto i) { return p_.things[i].lasts; }));
      for (const std::uint32_t i : things) groupsOf_[i].push_back(t);
    }
    for (std::size_t i = 0; i < size_; ++i) gain_[i] = p_.things[i].gain;
    for (const auto& t : p_.together)
      for (const std::uint32_t i : t.things) gain_[i] += (t.gain + t.things.size() - 1) / t.things.size();
  }

  bool cheaper(std::uint32_t a, std::uint32_t b) const {
    if (gain_[a] == 0 || gain_[b] == 0) return gain_[a] > gain_[b];
    const long double x =
        static_cast<long double>(wide(p_.things[a].cost)) / static_cast<long double>(gain_[a]);
    const long double y =
        static_cast<long double>(wide(p_.things[b].cost)) / static_cast<long double>(gain_[b]);
    return x != y ? x < y : gain_[a] > gain_[b];
  }

  void reset() {
    std::fill(state_.begin(), state_.end(), open);
    trail_.clear();
    cost_ = 0;
    have_ = haveForNow_ = sure_ = sureForNow_ = 0;
    std::fill(inGroup_.begin(), inGroup_.end(), std::size_t{0});
  }

  void set(std::uint32_t i, State s) {
    state_[i] = s;
    trail_.push_back(i);
    if (s == in) count(i);
  }
  /// What a thing that is taken costs and gives: with its share of what comes together, and for certain.
  void count(std::uint32_t i) {
    const auto& thing = p_.things[i];
    cost_ += wide(thing.cost);
    haveForNow_ += gain_[i];
    sureForNow_ += thing.gain;
    if (thing.lasts) have_ += gain_[i], sure_ += thing.gain;
    for (const std::uint32_t t : groupsOf_[i])
      if (++inGroup_[t] == p_.together[t].things.size()) {
        sureForNow_ += p_.together[t].gain;
        if (groupLasts_[t]) sure_ += p_.together[t].gain;
      }
  }
  void uncount(std::uint32_t i) {
    const auto& thing = p_.things[i];
    cost_ -= wide(thing.cost);
    haveForNow_ -= gain_[i];
    sureForNow_ -= thing.gain;
    if (thing.lasts) have_ -= gain_[i], sure_ -= thing.gain;
    for (const std::uint32_t t : groupsOf_[i])
      if (inGroup_[t]-- == p_.together[t].things.size()) {
        sureForNow_ -= p_.together[t].gain;
        if (groupLasts_[t]) sure_ -= p_.together[t].gain;
      }
  }
  void back(std::size_t to) {
    for (; trail_.size() > to; trail_.pop_back()) {
      const std::uint32_t i = trail_.back();
      if (state_[i] == in) uncount(i);
      state_[i] = open;
    }
  }

  /// With all that it needs, and without what it excludes. False where that cannot be; then the trail has to
  /// be taken back.
  bool take(std::uint32_t thing) {
    std::vector<std::uint32_t> waiting{thing};
    while (!waiting.empty()) {
      const std::uint32_t i = waiting.back();
      waiting.pop_back();
      if (state_[i] == in) continue;
      if (state_[i] == out) return false;
      set(i, in);
      for (const std::uint32_t n : needsOf_[i]) waiting.push_back(n);
      for (const std::uint32_t e : against_[i])
        if (!leave(e)) return false;
    }
    return true;
  }
  /// With all that needs it.
  bool leave(std::uint32_t thing) {
    std::vector<std::uint32_t> waiting{thing};
    while (!waiting.empty()) {
      const std::uint32_t i = waiting.back();
      waiting.pop_back();
      if (state_[i] == out) continue;
      if (state_[i] == in) return false;
      set(i, out);
      for (const std::uint32_t n : neededBy_[i]) waiting.push_back(n);
    }
    return true;
  }

  /// A step of the relaxation: a thing is taken, or takes the place of another.
  struct Move {
    Wide cost = 0;
    Bytes gain = 0;
    std::uint32_t thing = 0;
    std::uint32_t insteadOf = nobody;
    long double density() const { return static_cast<long double>(cost) / static_cast<long double>(gain); }
  };
  static constexpr std::uint32_t nobody = ~std::uint32_t{0};

  /// Of two that exclude each other the relaxation takes the cheaper, and then the other in its place, as far
  /// as that gives more (Sinha and Zoltners 1979). Things that exclude several are paired once.
  std::vector<Move> moves(bool lasting) const {
    std::vector<std::uint32_t> partner(size_, nobody);
    const auto counts = [&](std::uint32_t i) { return gain_[i] > 0 && (!lasting || p_.things[i].lasts); };
    for (const auto& [a, b] : p_.excludes)
      if (a != b && counts(a) && counts(b) && partner[a] == nobody && partner[b] == nobody)
        partner[a] = b, partner[b] = a;
    std::vector<Move> all;
    for (const std::uint32_t i : order_) {
      if (!counts(i)) continue;
      const Wide cost = wide(p_.things[i].cost);
      const std::uint32_t other = partner[i];
      // The cheaper one comes first in the order.
      const bool second = other != nobody && placeOf_[other] < placeOf_[i];
      if (!second)
        all.push_back({cost, gain_[i], i, nobody});
      else if (gain_[i] > gain_[other])
        all.push_back(
            {std::max<Wide>(0, cost - wide(p_.things[other].cost)), gain_[i] - gain_[other], i, other});
    }
    std::stable_sort(all.begin(), all.end(),
                     [](const Move& a, const Move& b) { return a.density() < b.density(); });
    return all;
  }

  static Wide relaxed(const std::vector<Move>& moves, Bytes missing) {
    Wide sum = 0;
    for (const Move& m : moves) {
      if (missing == 0) break;
      if (m.gain <= missing) {
        sum += m.cost;
        missing -= m.gain;
        continue;
      }
      const long double part = static_cast<long double>(missing) / static_cast<long double>(m.gain);
      sum += static_cast<Wide>(static_cast<long double>(m.cost) * part * (1 - 1e-17L));
      missing = 0;
    }
    return sum;
  }
  Wide rootBound() const {
    return std::max(relaxed(moves(true), p_.need), relaxed(moves(false), p_.needForNow));
  }

  /// Neither needs anything nor is needed, and excludes one thing alone.
  bool standsAlone(std::uint32_t i) const {
    return needsOf_[i].empty() && neededBy_[i].empty() && against_[i].size() == 1;
  }
  void swap(std::uint32_t one, std::uint32_t other) {
    std::swap(state_[one], state_[other]);
    uncount(one);
    count(other);
  }

  std::vector<bool> taken() const {
    std::vector<bool> all(size_);
    for (std::size_t i = 0; i < size_; ++i) all[i] = state_[i] == in;
    return all;
  }

  /// What the rest must cost at least, if parts of things could be taken; negative where all of it does not
  /// suffice.
  Wide restOf(std::size_t from, Bytes missing, bool lasting) const {
    Wide sum = 0;
    for (std::size_t k = from; k < end_ && missing > 0; ++k) {
      const std::uint32_t i = order_[k];
      if (state_[i] != open || gain_[i] == 0 || (lasting && !p_.things[i].lasts)) continue;
      const Wide cost = wide(p_.things[i].cost);
      if (gain_[i] <= missing) {
        sum += cost;
        missing -= gain_[i];
      } else {
        const long double part = static_cast<long double>(missing) / static_cast<long double>(gain_[i]);
        // A hair less, so that rounding never makes a bound of what is none.
        sum += static_cast<Wide>(static_cast<long double>(cost) * part * (1 - 1e-17L));
        missing = 0;
      }
    }
    return missing > 0 ? -1 : sum;
  }

  Wide lowerBound(std::size_t from) const {
    const Wide one = restOf(from, p_.need - std::min(have_, p_.need), true);
    const Wide two = restOf(from, p_.needForNow - std::min(haveForNow_, p_.needForNow), false);
    return one < 0 || two < 0 ? -1 : cost_ + std::max(one, two);
  }

  bool enough() const { return sure_ >= p_.need && sureForNow_ >= p_.needForNow; }

  void consider() {
    if (found_ && cost_ >= bestCost_) return;
    found_ = true;
    bestCost_ = cost_;
    best_ = taken();
  }

  /// Taking comes before leaving out, so that the first dive is the greedy one.
  void descend(std::size_t at, std::size_t end = ~std::size_t{0}) {
    if (left_ == 0) return;
    --left_;
    if (enough()) return consider();
    const Wide bound = lowerBound(at);
    if (bound < 0 || (found_ && bound >= bestCost_)) return;
    while (at < std::min(size_, end) && state_[order_[at]] != open) ++at;
    if (at >= std::min(size_, end)) return;
    const std::size_t mark = trail_.size();
    if (take(order_[at])) descend(at + 1, end);
    back(mark);
    if (leave(order_[at])) descend(at + 1, end);
    back(mark);
  }

  /// Along the order until it is enough.
  void greedy() {
    reset();
    for (const Move& m : moves(false)) {
      if (enough()) break;
      turn_ = placeOf_[m.thing];
      const std::size_t mark = trail_.size();
      if (m.insteadOf == nobody) {
        if (state_[m.thing] == open && !take(m.thing)) back(mark);
      } else if (state_[m.insteadOf] == in && standsAlone(m.insteadOf) && standsAlone(m.thing)) {
        swap(m.insteadOf, m.thing);
      }
    }
    if (!enough()) return;
    dropSpare();
    found_ = true;
    best_ = taken();
    bestCost_ = cost_;
  }

  /// What is not needed after all goes again, the dearest a byte first.
  void dropSpare() {
    for (auto at = order_.rbegin(); at != order_.rend(); ++at) {
      if (state_[*at] != in) continue;
      Bytes loses = p_.things[*at].gain;
      for (const std::uint32_t t : groupsOf_[*at])
        if (inGroup_[t] == p_.together[t].things.size()) loses += p_.together[t].gain;
      const bool needed = std::any_of(neededBy_[*at].begin(), neededBy_[*at].end(),
                                      [&](std::uint32_t n) { return state_[n] == in; });
      if (needed || sureForNow_ < p_.needForNow + loses) continue;
      if (p_.things[*at].lasts && sure_ < p_.need + loses) continue;
      uncount(*at);
      state_[*at] = out;
    }
  }

  /// What lies near the turning point is tried in all ways; all else is as it was found along the order.
  void searchCore() {
    const std::size_t from = turn_ + 1 > core / 2 ? turn_ + 1 - core / 2 : 0;
    reset();
    for (std::size_t k = 0; k < size_; ++k) {
      const std::uint32_t i = order_[k];
      if ((k >= from && k < from + core) || state_[i] != open || !best_[i]) continue;
      const std::size_t mark = trail_.size();
      if (!take(i)) back(mark);
    }
    // The bound looks at all that is open: behind the core nothing is.
    for (std::size_t k = from + core; k < size_; ++k)
      if (state_[order_[k]] == open) set(order_[k], out);
    end_ = std::min(size_, from + core);
    left_ = 200'000;
    descend(from, end_);
    end_ = size_;
  }

  void takeAll() {
    reset();
    for (const std::uint32_t i : order_) {
      if (state_[i] != open || gain_[i] == 0) continue;
      const std::size_t mark = trail_.size();
      if (!take(i)) back(mark);
    }
  }

  const ChoiceProblem& p_;
  std::size_t size_;
  std::vector<State> state_;
  std::vector<std::uint32_t> trail_;
  std::vector<std::vector<std::uint32_t>> needsOf_, neededBy_, against_;
  std::vector<Bytes> gain_;
  std::vector<std::uint32_t> order_;
  std::vector<std::size_t> placeOf_;  ///< in that order
  std::size_t end_;                   ///< behind it nothing is open
  Wide cost_ = 0, bestCost_ = 0;
  Bytes have_ = 0, haveForNow_ = 0;  ///< no less than is true
  Bytes sure_ = 0, sureForNow_ = 0;
  std::vector<std::vector<std::uint32_t>> groupsOf_;  ///< of what comes together, by thing
  std::vector<std::size_t> inGroup_;                  ///< how many of each are taken
  std::vector<bool> groupLasts_;
  std::vector<bool> best_;
  bool found_ = false;
  std::size_t turn_ = 0;
  std::size_t left_ = 0;  ///< how many branches may still be looked at
};

}  // namespace

Chosen choose(const ChoiceProblem& problem) {
  return Search(problem).solve();
}

}  // namespace zt
