// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/flatpaks.h"

#include <absl/container/flat_hash_set.h>

#include "core/base/lines.h"
#include "core/detect/children.h"

namespace zt {

namespace {

template <class Each>
void foldersIn(const SurveyTree& tree, NodeId folder, Each each) {
  eachIn(tree, folder, [&](NodeId id) {
    if (tree.isFolder(id)) each(id);
  });
}

/// One installation: `app/ID/ARCH/BRANCH/COMMIT/metadata` and `runtime/…` of the same form.
class Installation {
public:
  Installation(const DetectInput& input, NodeId top) : input_(input), tree_(input.context->tree), top_(top) {}

  void addTo(std::vector<Flatpak>& all) {
    std::vector<Flatpak> apps, runtimes;
    eachBranch("app", [&](NodeId id, NodeId branch, const std::string&) {
      needs_.insert(flatpakRuntimeOf(metadata(branch)));
      if (apps.empty() || apps.back().folder != id)
        apps.push_back({id, std::string(tree_.name(id)), false, true});
    });
    eachBranch("runtime", [&](NodeId, NodeId branch, const std::string& name) {
      runtimes.push_back({branch, name, true, false});
    });
    findUsed(runtimes);
    all.insert(all.end(), apps.begin(), apps.end());
    all.insert(all.end(), runtimes.begin(), runtimes.end());
  }

private:
  template <class Each>
  void eachBranch(std::string_view kind, Each each) {
    const auto kinds = tree_.child(top_, kind);
    if (!kinds || !tree_.isFolder(*kinds)) return;
    foldersIn(tree_, *kinds, [&](NodeId id) {
      foldersIn(tree_, id, [&](NodeId arch) {
        foldersIn(tree_, arch, [&](NodeId branch) {
          each(id, branch,
               std::string(tree_.name(id)) + "/" + std::string(tree_.name(arch)) + "/" +
                   std::string(tree_.name(branch)));
        });
      });
    });
  }

  /// Of the commits of a branch together; what cannot be read is noted.
  std::string metadata(NodeId branch) {
    std::string all;
    foldersIn(tree_, branch, [&](NodeId commit) {
      const auto at = input_.files->openBeneath(*input_.root, tree_.path(commit));
      const auto text = at ? input_.files->readFile(**at, "metadata", std::size_t{256} * 1024)
                           : Result<std::string>(tl::unexpected(at.error()));
      sure_ = sure_ && text;
      if (text) all += *text + "\n";
    });
    return all;
  }

  /// In use: what an application names, what extends it, and the extension points that it has.
  void findUsed(std::vector<Flatpak>& runtimes) {
    std::vector<std::string> names;  // of runtimes and extension points in use
    for (Flatpak& r : runtimes)
      if (needs_.contains(r.id)) {
        r.used = true;
        names.push_back(r.id.substr(0, r.id.find('/')));
        for (std::string& point : flatpakExtensionsOf(metadata(r.folder))) names.push_back(std::move(point));
      }
    for (Flatpak& r : runtimes)
      for (const std::string& name : names) {
        const std::string id = r.id.substr(0, r.id.find('/'));
        // Another branch of a runtime in use is not in use by that; an extension's branch is its own.
        r.used = r.used || id.starts_with(name + ".");
      }
    for (Flatpak& r : runtimes) r.used = r.used || !sure_;
  }

  const DetectInput& input_;
  const SurveyTree& tree_;
  NodeId top_;
  absl::flat_hash_set<std::string> needs_;
  bool sure_ = true;
};

}  // namespace

std::vector<Flatpak> flatpaksIn(const DetectInput& input, const SystemRoot& system) {
  std::vector<Flatpak> all;
  if (!input.files || !input.root) return all;
  const SurveyTree& tree = input.context->tree;
  const auto look = [&](const std::optional<NodeId>& top) {
    if (top && tree.isFolder(*top)) Installation(input, *top).addTo(all);
  };
  look(tree.find(joinPath(system.at, "var/lib/flatpak")));
  for (const NodeId home : input.context->sightings.homes)
    look(tree.find(joinPath(tree.path(home), ".local/share/flatpak")));
  return all;
}

std::string flatpakRuntimeOf(std::string_view metadata) {
  std::string runtime;
  eachLine(metadata, [&](std::string_view line) {
    if (line.starts_with("runtime=")) runtime = line.substr(8);
  });
  return runtime;
}

std::vector<std::string> flatpakExtensionsOf(std::string_view metadata) {
  std::vector<std::string> all;
  constexpr std::string_view heading = "[Extension ";
  eachLine(metadata, [&](std::string_view line) {
    if (line.starts_with(heading) && line.ends_with(']'))
      all.emplace_back(line.substr(heading.size(), line.size() - heading.size() - 1));
  });
  return all;
}

}  // namespace zt
