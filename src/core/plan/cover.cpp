// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <limits>

#include "core/plan/proposer.h"

namespace zt {

namespace {

/// Depth-first search for the subset with the smallest sum that is at least the need, bounded by a budget of
/// nodes.
class TightCover {
public:
  TightCover(std::span<const Bytes> amounts, Bytes need)
      : amounts_(amounts), need_(need), rest_(amounts.size() + 1, 0) {
    for (std::size_t i = amounts.size(); i-- > 0;) rest_[i] = rest_[i + 1] + amounts[i];
  }

  std::vector<std::size_t> solve() {
    if (rest_[0] < need_) return {};
    descend();
    return best_;
  }

private:
  /// Iterative: the picked indices are the stack. Taking comes before leaving out, so the first dive is the
  /// greedy one.
  void descend() {
    std::vector<std::size_t> picked;
    Bytes sum = 0;
    std::size_t at = 0;
    for (int budget = 2'000'000; budget > 0 && bestSum_ != need_; --budget) {
      const bool hopeless = at >= amounts_.size() || sum + rest_[at] < need_;
      if (!hopeless) {
        const Bytes with = sum + amounts_[at];
        if (with >= need_) {
          consider(picked, at, with);  // taking it covers; smaller ones further on may cover more tightly
          ++at;
        } else {
          picked.push_back(at);
          sum = with;
          ++at;
        }
        continue;
      }
      if (picked.empty()) return;
      at = picked.back() + 1;
      sum -= amounts_[picked.back()];
      picked.pop_back();
    }
  }

  void consider(const std::vector<std::size_t>& picked, std::size_t last, Bytes sum) {
    if (sum > bestSum_ || (sum == bestSum_ && picked.size() + 1 >= best_.size())) return;
    bestSum_ = sum;
    best_ = picked;
    best_.push_back(last);
  }

  std::span<const Bytes> amounts_;
  Bytes need_;
  std::vector<Bytes> rest_;
  std::vector<std::size_t> best_;
  Bytes bestSum_ = std::numeric_limits<Bytes>::max();
};

}  // namespace

std::vector<std::size_t> coverTightly(std::span<const Bytes> amounts, Bytes need) {
  return TightCover(amounts, need).solve();
}

}  // namespace zt
