// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/package_records.h"

#include <absl/container/flat_hash_set.h>

#include <algorithm>

#include "core/base/lines.h"

namespace zt {

namespace {

constexpr std::size_t mostPackages = 200'000;

/// Calls `each(key, value)` for the fields of every paragraph, and `end()` after it. Lines that go on are
/// left out: no field that is asked for has any.
template <class Each, class End>
void paragraphs(std::string_view text, Each each, End end) {
  bool any = false;
  eachLine(text, [&](std::string_view line) {
    if (line.ends_with('\r')) line.remove_suffix(1);
    if (line.empty() && std::exchange(any, false)) end();
    if (line.empty() || line.front() == ' ' || line.front() == '\t') return;
    any = true;
    const auto colon = line.find(':');
    if (colon == std::string_view::npos) return each(line, std::string_view{});
    std::string_view value = line.substr(colon + 1);
    while (value.starts_with(' ') || value.starts_with('\t')) value.remove_prefix(1);
    each(line.substr(0, colon), value);
  });
  if (any) end();
}

bool plainName(std::string_view name) {
  return name.size() >= 2 && name.size() <= 200 && std::all_of(name.begin(), name.end(), [](char c) {
           return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '+' || c == '-' || c == '.';
         });
}

/// "libc6 (>= 2.36), a | b:any" → libc6, a, b
void addNames(std::string_view list, std::vector<std::string>& names) {
  while (!list.empty()) {
    const auto stop = std::min(list.find_first_of(",|"), list.size());
    std::string_view one = list.substr(0, stop);
    list.remove_prefix(std::min(list.size(), stop + 1));
    while (one.starts_with(' ')) one.remove_prefix(1);
    one = one.substr(0, one.find_first_of(" (:"));
    if (plainName(one)) names.emplace_back(one);
  }
}

}  // namespace

std::vector<PackageRecord> parseDpkgStatus(std::string_view text, std::size_t* torn) {
  std::vector<PackageRecord> all;
  PackageRecord now;
  bool installed = false;
  bool bad = false;
  paragraphs(
      text,
      [&](std::string_view key, std::string_view value) {
        if (key == "Package")
          now.name = value;
        else if (key == "Status")
          installed = value.ends_with(" installed");
        else if (key == "Architecture")
          now.architecture = value;
        else if (key == "Version")
          now.version = value;
        else if (key == "Section")
          now.section = value;
        else if (key == "Essential" || key == "Protected")
          now.essential = now.essential || value == "yes";
        else if (key == "Priority")
          now.essential = now.essential || value == "required" || value == "important";
        else if (key == "Depends" || key == "Pre-Depends" || key == "Recommends")
          addNames(value, now.needs);
        else if (value.data() == nullptr)
          bad = true;
      },
      [&] {
        if (bad || !plainName(now.name))
          torn != nullptr ? void(++*torn) : void();
        else if (installed && all.size() < mostPackages)
          all.push_back(std::move(now));
        now = {};
        installed = bad = false;
      });
  return all;
}

void markAutomatic(std::string_view text, std::vector<PackageRecord>& packages) {
  absl::flat_hash_set<std::string> automatic;
  std::string name;
  bool pulled = false;
  paragraphs(
      text,
      [&](std::string_view key, std::string_view value) {
        if (key == "Package") name = value;
        if (key == "Auto-Installed") pulled = value == "1";
      },
      [&] {
        if (pulled) automatic.insert(name);
        name.clear();
        pulled = false;
      });
  for (PackageRecord& p : packages)
    if (automatic.contains(p.name)) p.byHand = false;
}

namespace {

/// Calls `each(heading, value)` for every value.
template <class Each>
void headedValues(std::string_view text, Each each) {
  std::string_view heading;
  eachLine(text, [&](std::string_view line) {
    if (line.size() > 2 && line.front() == '%' && line.back() == '%')
      heading = line;
    else if (!line.empty())
      each(heading, line);
  });
}

/// What a package of pacman may be called (PKGBUILD, "pkgname"), which makes a part of a path of it.
bool plainPacmanName(std::string_view name) {
  return !name.empty() && name.size() <= 200 && name.front() != '-' && name.front() != '.' &&
         std::all_of(name.begin(), name.end(), [](char c) {
           return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                  std::string_view("@._+-:").find(c) != std::string_view::npos;
         });
}

}  // namespace

std::optional<PackageRecord> parsePacmanDesc(std::string_view text) {
  PackageRecord p;
  headedValues(text, [&](std::string_view heading, std::string_view value) {
    if (heading == "%NAME%")
      p.name = value;
    else if (heading == "%VERSION%")
      p.version = value;
    else if (heading == "%ARCH%")
      p.architecture = value;
    else if (heading == "%REASON%")
      p.byHand = value != "1";
    else if (heading == "%GROUPS%")
      p.essential = p.essential || value == "base";
    else if (heading == "%DEPENDS%" && p.needs.size() < 10'000)
      p.needs.emplace_back(value.substr(0, value.find_first_of("<>=")));
  });
  p.essential =
      p.essential || p.name == "base" || p.name == "linux" || p.name == "glibc" || p.name == "pacman";
  if (!plainPacmanName(p.name) || !plainPacmanName(p.version)) return std::nullopt;
  return p;
}

std::string pacmanFiles(std::string_view text) {
  std::string all;
  headedValues(text, [&](std::string_view heading, std::string_view value) {
    if (heading != "%FILES%" || value.back() == '/') return;
    all += '/';
    all += value;
    all += '\n';
  });
  return all;
}

PackageGraph::PackageGraph(const std::vector<PackageRecord>& packages)
    : packages_(packages),
      needs_(packages.size()),
      neededBy_(packages.size()),
      kept_(packages.size(), false) {
  for (Index i = 0; i < packages.size(); ++i) byName_[packages[i].name] = i;
  for (Index i = 0; i < packages.size(); ++i)
    for (const std::string& need : packages[i].needs)
      if (const auto at = byName_.find(need); at != byName_.end()) {
        needs_[i].push_back(at->second);
        neededBy_[at->second].push_back(i);
      }
  std::vector<Index> wished;
  for (Index i = 0; i < packages.size(); ++i)
    if (isWished(i)) wished.push_back(i);
  reach(std::move(wished), [&](Index i) {
    const bool first = !kept_[i];
    kept_[i] = true;
    return first;
  });
}

bool PackageGraph::isWished(Index i) const {
  return packages_[i].byHand || packages_[i].essential;
}

template <class Enter>
void PackageGraph::reach(std::vector<Index> from, Enter enter) const {
  std::erase_if(from, [&](Index i) { return !enter(i); });
  while (!from.empty()) {
    const Index i = from.back();
    from.pop_back();
    for (const Index need : needs_[i])
      if (enter(need)) from.push_back(need);
  }
}

std::vector<std::string> PackageGraph::goesWith(std::string_view name) const {
  const auto own = byName_.find(std::string(name));
  if (own == byName_.end()) return {};
  absl::flat_hash_set<Index> brought{own->second};
  reach(needs_[own->second], [&](Index i) { return brought.insert(i).second; });
  // Whatever the package did not bring is there without it, so what that needs stays, with all it needs.
  const auto staysAnyway = [&](Index i) {
    return isWished(i) || std::any_of(neededBy_[i].begin(), neededBy_[i].end(),
                                      [&](Index by) { return kept_[by] && !brought.contains(by); });
  };
  std::vector<Index> stay;
  for (const Index i : brought)
    if (i != own->second && staysAnyway(i)) stay.push_back(i);
  absl::flat_hash_set<Index> staying{own->second};
  reach(std::move(stay), [&](Index i) { return staying.insert(i).second; });
  std::vector<std::string> gone;
  for (const Index i : brought)
    if (!staying.contains(i)) gone.push_back(packages_[i].name);
  std::sort(gone.begin(), gone.end());
  return gone;
}

}  // namespace zt
