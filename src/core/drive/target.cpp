// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/target.h"

#include <algorithm>
#include <array>

namespace zt {

std::string_view name(TargetOrigin origin) {
  static constexpr std::array<std::string_view, targetOrigins> names{
      "task", "ten-percent", "fifteen-rotating", "quarter-solid-state", "ten-gigabytes"};
  return names[static_cast<std::size_t>(origin)];
}

std::string_view name(Urgency urgency) {
  static constexpr std::array<std::string_view, 4> names{"fine", "cramped", "emergency", "full-by-design"};
  return names[static_cast<std::size_t>(urgency)];
}

SignedBytes surplus(const Target& target, Bytes free) {
  return static_cast<SignedBytes>(free) - static_cast<SignedBytes>(target.bytes);
}

std::vector<Target> headroomRules(const Drive& drive) {
  const Bytes capacity = drive.usage.capacity;
  std::vector<Target> rules;
  const auto add = [&](TargetOrigin origin, std::string amount) {
    const auto bytes = parseAmount(amount, capacity);
    if (bytes && *bytes < capacity) rules.push_back({origin, {}, std::move(amount), *bytes, false});
  };
  add(TargetOrigin::tenPercent, "10%");
  if (drive.kind == DriveKind::rotating) add(TargetOrigin::fifteenRotating, "15%");
  if (drive.kind == DriveKind::solidState) add(TargetOrigin::quarterSolidState, "25%");
  add(TargetOrigin::tenGigabytes, "10GB");
  return rules;
}

Bytes headroomOf(const Drive& drive) {
  Bytes least = ~Bytes{0};
  for (const Target& rule : headroomRules(drive)) least = std::min(least, rule.bytes);
  return least == ~Bytes{0} ? 0 : least;
}

const Target* hardest(const std::vector<Target>& targets) {
  const Target* most = nullptr;
  for (const Target& t : targets)
    if (t.chosen && (most == nullptr || t.bytes > most->bytes)) most = &t;
  return most;
}

Urgency urgencyOf(const Drive& drive, const std::vector<Target>& targets) {
  if (drive.fullByDesign()) return Urgency::fullByDesign;
  if (!drive.answers) return Urgency::fine;  // nothing is known
  const Bytes free = drive.usage.available;
  if (free < 500'000'000 && free < drive.usage.capacity / 4) return Urgency::emergency;
  if (free < drive.usage.capacity / 200) return Urgency::emergency;
  const auto counts = [&](const Target& t) {
    if (t.chosen) return true;
    // Ten per cent of a large drive are more than its working files need.
    return t.origin == TargetOrigin::tenGigabytes ||
           (t.origin == TargetOrigin::tenPercent && drive.size != SizeClass::large);
  };
  const bool missed = std::any_of(targets.begin(), targets.end(),
                                  [&](const Target& t) { return t.bytes > free && counts(t); });
  return missed ? Urgency::cramped : Urgency::fine;
}

}  // namespace zt
