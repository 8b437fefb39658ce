// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/number_sets.h"

#include <absl/hash/hash.h>

#include <array>

namespace zt {

namespace {

void settle(std::vector<NumberSets::Run>& runs) {
  using Run = NumberSets::Run;
  std::erase_if(runs, [](const Run& r) { return r.from >= r.to; });
  std::sort(runs.begin(), runs.end(), [](const Run& a, const Run& b) { return a.from < b.from; });
  std::size_t last = 0;
  for (std::size_t i = 1; i < runs.size(); ++i) {
    if (runs[i].from <= runs[last].to)
      runs[last].to = std::max(runs[last].to, runs[i].to);
    else
      runs[++last] = runs[i];
  }
  if (!runs.empty()) runs.resize(last + 1);
}

std::uint64_t hashOf(const std::vector<NumberSets::Run>& runs) {
  std::uint64_t hash = runs.size();
  for (const auto& run : runs) hash = absl::HashOf(hash, run.from, run.to);
  return hash;
}

}  // namespace

NumberSets::NumberSets() : start_{0, 0} {
  byHash_[hashOf({})].push_back(none);
}

NumberSets::Id NumberSets::keep(std::vector<Run> runs) {
  auto& alike = byHash_[hashOf(runs)];
  for (const Id id : alike) {
    const auto there = this->runs(id);
    if (std::equal(there.begin(), there.end(), runs.begin(), runs.end())) return id;
  }
  const Id id = size();
  runs_.insert(runs_.end(), runs.begin(), runs.end());
  start_.push_back(static_cast<std::uint32_t>(runs_.size()));
  alike.push_back(id);
  return id;
}

NumberSets::Id NumberSets::of(std::uint32_t number) {
  return keep({{number, number + 1}});
}

NumberSets::Id NumberSets::of(std::vector<Run> runs) {
  settle(runs);
  return keep(std::move(runs));
}

NumberSets::Id NumberSets::join(Id a, Id b) {
  if (a == b || b == none) return a;
  if (a == none) return b;
  if (a > b) std::swap(a, b);
  const auto [at, isNew] = joined_.try_emplace(std::uint64_t{a} << 32 | b, none);
  if (isNew) at->second = join(std::array<Id, 2>{a, b});
  return at->second;
}

NumberSets::Id NumberSets::join(std::span<const Id> sets) {
  std::vector<Run> all;
  for (const Id set : sets) {
    const auto more = runs(set);
    all.insert(all.end(), more.begin(), more.end());
  }
  return of(std::move(all));
}

std::uint32_t NumberSets::count(Id set) const {
  std::uint32_t sum = 0;
  for (const Run& run : runs(set)) sum += run.to - run.from;
  return sum;
}

NumberSets::Chosen::Chosen(const std::vector<bool>& numbers) : before_(numbers.size() + 1, 0) {
  for (std::size_t i = 0; i < numbers.size(); ++i) before_[i + 1] = before_[i] + (numbers[i] ? 1 : 0);
}

bool NumberSets::Chosen::all(const NumberSets& sets, Id set) const {
  const auto runs = sets.runs(set);
  return std::all_of(runs.begin(), runs.end(),
                     [&](const Run& r) { return upTo(r.to) - upTo(r.from) == r.to - r.from; });
}

bool NumberSets::Chosen::any(const NumberSets& sets, Id set) const {
  const auto runs = sets.runs(set);
  return std::any_of(runs.begin(), runs.end(), [&](const Run& r) { return upTo(r.to) != upTo(r.from); });
}

}  // namespace zt
