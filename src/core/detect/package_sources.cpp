// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/package_sources.h"

namespace zt {

namespace {

constexpr std::size_t mostStatus = std::size_t{64} * 1024 * 1024;
constexpr std::size_t mostList = std::size_t{16} * 1024 * 1024;
constexpr std::size_t mostRecord = std::size_t{256} * 1024;
constexpr std::uint32_t mostLocal = 200'000;

Result<FolderPtr> open(const DetectInput& input, const SystemRoot& system, std::string_view folder) {
  return input.files->openBeneath(*input.root, joinPath(system.at, PathBytes(folder)));
}

Result<std::string> read(const DetectInput& input, const SystemRoot& system, std::string_view folder,
                         std::string_view name, std::size_t most) {
  const auto at = open(input, system, folder);
  if (!at) return tl::unexpected(at.error());
  return input.files->readFile(**at, name, most);
}

/// Nothing where there is no such database.
Result<std::optional<PackageSource>> dpkg(const DetectInput& input, const SystemRoot& system) {
  const auto status = read(input, system, "var/lib/dpkg", "status", mostStatus);
  if (!status && status.error().code == Errc::notThere) return std::nullopt;
  if (!status) return tl::unexpected(status.error());
  // Without lists there is a record of what is installed, and none of which files: nothing to weigh.
  const auto lists = open(input, system, "var/lib/dpkg/info");
  if (!lists) return std::nullopt;
  PackageSource source{joinPath(system.at, "var/lib/dpkg"), "apt-get remove ", parseDpkgStatus(*status), {}};
  if (const auto states = read(input, system, "var/lib/apt", "extended_states", mostStatus))
    markAutomatic(*states, source.packages);
  source.files = [files = input.files, lists = *lists](const PackageRecord& p) -> Result<std::string> {
    auto list = files->readFile(*lists, p.name + ".list", mostList);
    return list ? list : files->readFile(*lists, p.name + ":" + p.architecture + ".list", mostList);
  };
  return source;
}

/// A folder a package, with `desc` and `files` in it.
Result<std::optional<PackageSource>> pacman(const DetectInput& input, const SystemRoot& system,
                                            const std::stop_token& stop) {
  const SurveyTree& tree = input.context->tree;
  const PathBytes place = joinPath(system.at, "var/lib/pacman/local");
  const auto top = tree.find(place);
  if (!top || !tree.isFolder(*top)) return std::nullopt;
  const auto local = input.files->openBeneath(*input.root, place);
  if (!local) return tl::unexpected(local.error());
  PackageSource source{place, "pacman -Rs ", {}, {}};
  const FolderTotals& t = tree.totals(*top);
  const std::uint32_t count = std::min(t.children, mostLocal);
  for (NodeId id = t.firstChild; id < t.firstChild + count; ++id) {
    if (stop.stop_requested()) return source;
    if (tree.isGone(id) || !tree.isFolder(id)) continue;
    const auto at = input.files->openFolder(**local, tree.name(id));
    const auto desc = at ? input.files->readFile(**at, "desc", mostRecord)
                         : Result<std::string>(tl::unexpected(at.error()));
    if (!desc) continue;
    if (auto package = parsePacmanDesc(*desc)) source.packages.push_back(std::move(*package));
  }
  source.files = [files = input.files, local = *local](const PackageRecord& p) -> Result<std::string> {
    const auto at = files->openFolder(*local, p.name + "-" + p.version);
    if (!at) return tl::unexpected(at.error());
    const auto list = files->readFile(**at, "files", mostList);
    return list ? Result<std::string>(pacmanFiles(*list)) : list;
  };
  return source;
}

}  // namespace

Result<std::vector<PackageSource>> packageSources(const DetectInput& input, const SystemRoot& system,
                                                  const std::stop_token& stop) {
  std::vector<PackageSource> all;
  if (!input.files || !input.root) return all;
  for (auto found : {dpkg(input, system), pacman(input, system, stop)}) {
    if (!found) return tl::unexpected(found.error());
    if (*found) all.push_back(std::move(**found));
  }
  return all;
}

}  // namespace zt
