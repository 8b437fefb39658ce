// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/detectors/kernels.h"

#include <algorithm>
#include <cctype>

#include "core/finds/detectors/children.h"

namespace zt {

namespace {

/// The version that a kernel's file is of; empty for other names.
std::string_view versionIn(std::string_view name) {
  static constexpr std::pair<std::string_view, std::string_view> shapes[] = {
      {"vmlinuz-", ""}, {"initrd.img-", ""}, {"initramfs-", ".img"}, {"System.map-", ""}, {"config-", ""}};
  for (const auto& [before, after] : shapes)
    if (name.starts_with(before) && name.ends_with(after) && name.size() > before.size() + after.size())
      return name.substr(before.size(), name.size() - before.size() - after.size());
  return {};
}

/// Folders of modules and headers that belong to a version.
void addCompanions(const SurveyTree& tree, const PathBytes& top, KernelVersion& kernel) {
  for (const char* folder : {"lib/modules", "usr/lib/modules", "usr/src/kernels"})
    if (const auto at = tree.find(joinPath(joinPath(top, folder), kernel.version)); at && tree.isFolder(*at))
      kernel.nodes.push_back(*at);
  if (const auto sources = tree.find(joinPath(top, "usr/src")); sources && tree.isFolder(*sources))
    if (const auto headers = tree.child(*sources, "linux-headers-" + kernel.version);
        headers && tree.isFolder(*headers))
      kernel.nodes.push_back(*headers);
}

}  // namespace

bool olderVersion(std::string_view a, std::string_view b) {
  const auto digit = [](char c) { return std::isdigit(static_cast<unsigned char>(c)) != 0; };
  while (!a.empty() && !b.empty()) {
    if (digit(a.front()) && digit(b.front())) {
      const auto number = [&](std::string_view& text) {
        while (text.size() > 1 && text.front() == '0' && digit(text[1])) text.remove_prefix(1);
        std::size_t size = 0;
        while (size < text.size() && digit(text[size])) ++size;
        const auto value = text.substr(0, size);
        text.remove_prefix(size);
        return value;
      };
      const auto x = number(a);
      const auto y = number(b);
      if (x.size() != y.size()) return x.size() < y.size();
      if (x != y) return x < y;
      continue;
    }
    if (a.front() != b.front()) {
      // "6.1.0-rc3" comes before "6.1.0"; otherwise a number beats a letter.
      if (digit(a.front()) != digit(b.front())) return digit(b.front());
      return a.front() < b.front();
    }
    a.remove_prefix(1);
    b.remove_prefix(1);
  }
  return a.size() < b.size();
}

std::vector<KernelVersion> kernelsOf(const FindContext& context, const PathBytes& top) {
  const SurveyTree& tree = context.tree;
  std::vector<KernelVersion> all;
  const auto boot = tree.find(joinPath(top, "boot"));
  if (!boot || !tree.isFolder(*boot)) return all;
  eachIn(tree, *boot, [&](NodeId id) {
    const std::string version(versionIn(tree.name(id)));
    if (version.empty() || tree.kind(id) != EntryKind::file) return;
    auto at =
        std::find_if(all.begin(), all.end(), [&](const KernelVersion& k) { return k.version == version; });
    if (at == all.end()) at = all.insert(all.end(), KernelVersion{version, {}, false, false});
    at->image = at->image || tree.name(id).starts_with("vmlinuz-");
    at->nodes.push_back(id);
  });
  std::erase_if(all, [](const KernelVersion& k) { return !k.image; });
  std::sort(all.begin(), all.end(), [](const KernelVersion& a, const KernelVersion& b) {
    return olderVersion(b.version, a.version);
  });
  const bool live = !context.options.machine.kernel.empty();
  // The newest starts by itself; where nobody can say which one runs, the one before it may be that one.
  for (std::size_t i = 0; i < all.size(); ++i) {
    all[i].stays = i == 0 || (live ? all[i].version == context.options.machine.kernel : i == 1);
    addCompanions(tree, top, all[i]);
  }
  // A running kernel that is not among them says that the list is not to be trusted.
  if (live && std::none_of(all.begin(), all.end(), [&](const KernelVersion& k) {
        return k.version == context.options.machine.kernel;
      }))
    for (KernelVersion& k : all) k.stays = true;
  return all;
}

}  // namespace zt
