// SPDX-License-Identifier: GPL-3.0-or-later
#include <xxhash.h>

#include "core/reclaim/run.h"

namespace zt {

Consent consentFor(const Plan& plan) {
  Consent consent;
  std::string all;
  const auto add = [&](std::string_view text) {
    all += std::to_string(text.size());
    all += ':';
    all += text;
  };
  for (const PlanLine& line : plan.lines) {
    if (!line.enabled) continue;
    add(line.id);
    add(line.step->id);
    for (const auto& item : line.items) {
      add(item.path);
      const Identity& i = item.identity;
      for (const std::uint64_t n :
           {std::uint64_t{static_cast<std::uint8_t>(i.kind)}, i.inode, i.length,
            static_cast<std::uint64_t>(i.modified), std::uint64_t{i.bornMark}, std::uint64_t{i.changedMark}})
        add(std::to_string(n));
    }
    if (line.step->consent != ConsentRule::none)
      consent.lines.push_back({line.id, line.step->id, line.gain.atMost, line.items.size(),
                               line.items.empty() ? PathBytes{} : line.items.front().path, line.regret()});
  }
  if (consent.lines.empty()) return consent;
  const XXH128_hash_t hash = XXH3_128bits(all.data(), all.size());
  char text[40];
  std::snprintf(text, sizeof text, "%016llx%016llx", static_cast<unsigned long long>(hash.high64),
                static_cast<unsigned long long>(hash.low64));
  consent.token = text;
  return consent;
}

}  // namespace zt
