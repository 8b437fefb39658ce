// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/earlier_system.h"

#include <algorithm>
#include <array>

#include "core/catalogue/personal_names.h"

namespace zt {

namespace {

/// What a new home is given by its system, and what desktops leave in every folder.
bool isOfNewHome(std::string_view name) {
  static constexpr auto names = std::to_array<std::string_view>(
      {".bash_logout", ".bashrc", ".cshrc", ".ds_store", ".localized", ".profile", ".tcshrc", ".wget-hsts",
       ".zshrc", "desktop.ini", "thumbs.db"});
  const std::string plain = lowered(name);
  return plain.starts_with("ntuser.") || std::find(names.begin(), names.end(), plain) != names.end();
}

}  // namespace

bool EarlierSystem::made(const PlaceMap::Way& way, std::string_view name, Bytes length) {
  if (holdsRecords(name, length)) return false;
  if (way.inHome && isOfNewHome(name)) return true;
  if (way.place == nullptr) return false;
  const Standing said = way.place->standing;
  return said == Standing::bedrock || said >= Standing::rebuilds ||
         (!way.inHome && way.place->regret <= Regret::wayBack);
}

}  // namespace zt
