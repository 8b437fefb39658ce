// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/token.h"
#include "core/reclaim/run.h"

namespace zt {

void TokenText::add(std::string_view text) {
  all_ += std::to_string(text.size());
  all_ += ':';
  all_ += text;
}

void TokenText::add(const Subject& item) {
  add(item.path);
  const Identity& i = item.identity;
  for (const std::uint64_t n :
       {std::uint64_t{static_cast<std::uint8_t>(i.kind)}, i.inode, i.length,
        static_cast<std::uint64_t>(i.modified), std::uint64_t{i.bornMark}, std::uint64_t{i.changedMark}})
    add(std::to_string(n));
}

void TokenText::add(const StepParameters& parameters) {
  if (!parameters.empty()) add(toJson(parameters).dump());
}

std::string TokenText::token() const {
  return tokenOf(all_);
}

Consent consentFor(const Plan& plan) {
  Consent consent;
  TokenText all;
  bool any = false;
  for (const PlanLine& line : plan.lines) {
    if (!line.enabled || !line.step->touches) continue;
    any = true;
    all.add(line.id);
    all.add(line.step->id);
    for (const auto& item : line.items) all.add(item);
    all.add(line.parameters);
    if (line.step->consent != ConsentRule::none)
      consent.lines.push_back({line.id,
                               line.step->id,
                               line.gain.atMost,
                               line.items.size(),
                               line.items.empty() ? PathBytes{} : line.items.front().path,
                               line.regret(),
                               {},
                               line.step,
                               line.parameters});
  }
  if (any) consent.token = all.token();
  return consent;
}

}  // namespace zt
