// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace zt {

/// One installed package, as a package database says.
struct PackageRecord {
  std::string name;
  std::string architecture;
  std::string version;
  std::string section;
  std::vector<std::string> needs;  ///< names of packages, alternatives each by themselves
  bool essential = false;          ///< the system does not work without it, by its own word
  bool byHand = true;              ///< wanted by somebody, not only pulled in
};

/// Reads `var/lib/dpkg/status` (deb822 paragraphs, dpkg 1.21): the packages that are installed. What cannot
/// be understood is left out, and counted in `torn`.
std::vector<PackageRecord> parseDpkgStatus(std::string_view text, std::size_t* torn = nullptr);

/// Reads `var/lib/apt/extended_states`: marks those that were only pulled in.
void markAutomatic(std::string_view extendedStates, std::vector<PackageRecord>& packages);

/// Reads the `desc` of one package of pacman's local database (ALPM 9: a heading in percent signs, values a
/// line, an empty line). Nothing for one that cannot be understood.
std::optional<PackageRecord> parsePacmanDesc(std::string_view text);
/// Its `files`: the paths beneath %FILES%, made absolute; folders are left out.
std::string pacmanFiles(std::string_view text);

/// Who needs whom. The records must outlive it. Immutable; any thread.
class PackageGraph {
public:
  explicit PackageGraph(const std::vector<PackageRecord>& packages);
  /// What would go with a package because nothing else needs it: names in order, without the package itself.
  /// Takes as long as what the package brought in and who needs that.
  std::vector<std::string> goesWith(std::string_view name) const;

private:
  using Index = std::uint32_t;
  bool isWished(Index i) const;
  /// Goes from `from` to all that is needed, wherever `enter(i)` lets it in.
  template <class Enter>
  void reach(std::vector<Index> from, Enter enter) const;

  const std::vector<PackageRecord>& packages_;
  absl::flat_hash_map<std::string, Index> byName_;
  std::vector<std::vector<Index>> needs_;
  std::vector<std::vector<Index>> neededBy_;
  std::vector<bool> kept_;  // somebody's wish, or needed by what is kept
};

}  // namespace zt
