// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/owner_names.h"

#include <pwd.h>

#include <algorithm>
#include <array>
#include <charconv>

namespace zt {

namespace {

std::optional<std::uint32_t> parseNumber(std::string_view text) {
  std::uint32_t number = 0;
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (problem != std::errc{} || end != text.data() + text.size()) return std::nullopt;
  return number;
}

/// Takes what stands before the next separator off the front.
std::string_view takePart(std::string_view& rest, char separator) {
  const auto end = std::min(rest.find(separator), rest.size());
  const std::string_view part = rest.substr(0, end);
  rest.remove_prefix(std::min(rest.size(), end + 1));
  return part;
}

}  // namespace

OwnerNames OwnerNames::fromList(std::string_view list) {
  OwnerNames names;
  while (!list.empty()) {
    std::string_view line = takePart(list, '\n');
    const std::string_view name = takePart(line, ':');
    (void)takePart(line, ':');  // where a password once stood
    const auto number = parseNumber(takePart(line, ':'));
    const bool plain = std::none_of(name.begin(), name.end(), [](unsigned char c) { return c <= ' '; });
    if (number && plain && !name.empty() && name.size() <= 64) names.names_.emplace(*number, name);
  }
  return names;
}

OwnerNames OwnerNames::ofThisMachine(std::span<const std::uint32_t> owners) {
  constexpr std::size_t most = 1000;  // each may be a question to a server
  OwnerNames names;
  std::array<char, 16384> room;
  for (const std::uint32_t owner : owners.first(std::min(most, owners.size()))) {
    passwd entry{};
    passwd* found = nullptr;
    if (::getpwuid_r(owner, &entry, room.data(), room.size(), &found) == 0 && found != nullptr)
      names.names_.emplace(owner, entry.pw_name);
  }
  return names;
}

std::optional<std::string_view> OwnerNames::name(std::uint32_t owner) const {
  const auto at = names_.find(owner);
  return at == names_.end() ? std::nullopt : std::optional<std::string_view>(at->second);
}

std::optional<std::uint32_t> OwnerNames::number(std::string_view name) const {
  for (const auto& [number, known] : names_)
    if (known == name) return number;
  return parseNumber(name);
}

}  // namespace zt
