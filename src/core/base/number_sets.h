// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <algorithm>
#include <cstdint>
#include <span>
#include <vector>

namespace zt {

/// Sets of small numbers, each kept once as runs of neighbours and known by a number of its own. Made for who
/// holds what: most are one run, because what comes and goes in a series does so once. One thread while sets
/// are added; afterwards any.
class NumberSets {
public:
  using Id = std::uint32_t;
  static constexpr Id none = 0;  ///< the empty set
  /// [from, to).
  struct Run {
    std::uint32_t from = 0;
    std::uint32_t to = 0;
    bool operator==(const Run&) const = default;
  };

  NumberSets();
  Id of(std::uint32_t number);
  /// Of runs in any order, which may overlap.
  Id of(std::vector<Run> runs);
  /// All that is in any of them.
  Id join(std::span<const Id> sets);
  Id join(Id a, Id b);

  std::span<const Run> runs(Id set) const {
    return {runs_.data() + start_[set], runs_.data() + start_[set + 1]};
  }
  std::uint32_t size() const { return static_cast<std::uint32_t>(start_.size()) - 1; }
  std::uint32_t count(Id set) const;

  /// Some of the numbers, for asking of many sets whether they lie within.
  class Chosen {
  public:
    explicit Chosen(const std::vector<bool>& numbers);
    bool all(const NumberSets& sets, Id set) const;
    bool any(const NumberSets& sets, Id set) const;

  private:
    std::uint32_t upTo(std::uint32_t number) const {
      return before_[std::min<std::size_t>(number, before_.size() - 1)];
    }
    std::vector<std::uint32_t> before_;  ///< how many are chosen below each number
  };

private:
  Id keep(std::vector<Run> runs);
  std::vector<Run> runs_;
  std::vector<std::uint32_t> start_;
  absl::flat_hash_map<std::uint64_t, std::vector<Id>> byHash_;
  absl::flat_hash_map<std::uint64_t, Id> joined_;  ///< by the two that were joined
};

}  // namespace zt
