// SPDX-License-Identifier: GPL-3.0-or-later
#include "demo/scenario.h"

#include <toml++/toml.h>

namespace zt::demo {

namespace {

Bytes gigabytes(const toml::table& t, const char* key) {
  return static_cast<Bytes>(t[key].value_or(0.0) * 1e9 + 0.5);
}

FileSet fileSet(const toml::table& t) {
  FileSet f;
  f.folder = t["folder"].value_or(std::string{});
  f.name = t["name"].value_or(std::string{});
  f.count = static_cast<int>(t["count"].value_or(1));
  f.bytes = gigabytes(t, "gb");
  if (f.bytes == 0) f.bytes = static_cast<Bytes>(t["bytes"].value_or(std::int64_t{0}));
  f.even = t["even"].value_or(false);
  f.youngest = t["days"].value_or(1.0);
  f.oldest = t["to_days"].value_or(f.youngest);
  f.owner = static_cast<int>(t["owner"].value_or(0));
  f.content = t["content"].value_or(std::string{});
  f.differs = t["differs"].value_or(false);
  f.text = t["text"].value_or(std::string{});
  f.magic = t["magic"].value_or(std::string{});
  f.occupied = gigabytes(t, "occupied_gb");
  f.heldBy = t["held_by"].value_or(std::string{});
  f.mode = static_cast<int>(t["mode"].value_or(0644));
  f.disk = t["disk"].value_or(std::string{});
  f.guest = gigabytes(t, "guest_gb");
  f.guestUsed = gigabytes(t, "guest_used_gb");
  f.idle = gigabytes(t, "idle_gb");
  f.placeholder = t["placeholder"].value_or(false);
  return f;
}

}  // namespace

Result<Scenario> parseScenario(std::string_view text) {
  toml::table table;
  try {
    table = toml::parse(text);
  } catch (const toml::parse_error& e) {
    return fail(Errc::badInput, "scenario", {},
                std::string(e.description()) + " at line " + std::to_string(e.source().begin.line));
  }
  Scenario s;
  s.manifest = table["manifest"].value_or(std::string{});
  s.expected = table["expected"].value_or(std::string{});
  s.free = gigabytes(table, "free_gb");
  if (const toml::array* sets = table["files"].as_array())
    for (const auto& item : *sets)
      if (const toml::table* t = item.as_table()) s.files.push_back(fileSet(*t));
  if (const toml::array* sets = table["links"].as_array())
    for (const auto& item : *sets)
      if (const toml::table* t = item.as_table())
        s.links.push_back({(*t)["from"].value_or(std::string{}), (*t)["folder"].value_or(std::string{})});
  if (const toml::array* things = table["trashed"].as_array())
    for (const auto& item : *things)
      if (const toml::table* t = item.as_table())
        s.thrown.push_back({(*t)["form"].value_or(std::string{}), (*t)["trash"].value_or(std::string{}),
                            (*t)["name"].value_or(std::string{}), (*t)["origin"].value_or(std::string{}),
                            gigabytes(*t, "gb"), (*t)["days"].value_or(0.0),
                            static_cast<int>((*t)["owner"].value_or(0))});
  s.oddNames = table["odd_names"].value_or(false);
  for (const auto& f : s.files)
    if (f.name.empty() || f.count < 1 || f.count > 100'000)
      return fail(Errc::badInput, "scenario", {}, f.folder + "/" + f.name);
  return s;
}

}  // namespace zt::demo
