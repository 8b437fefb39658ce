// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/kernels.h"

#include <algorithm>
#include <cctype>
#include <map>

#include "core/detect/children.h"

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

namespace {

/// What of "6.1.0-25-cloud-amd64" follows the numbers: "cloud-amd64".
std::string flavourOf(std::string_view version) {
  for (auto dash = version.find('-'); dash != std::string_view::npos; dash = version.find('-', dash + 1))
    if (dash + 1 < version.size() && std::isalpha(static_cast<unsigned char>(version[dash + 1])) != 0)
      return std::string(version.substr(dash + 1));
  return {};
}

/// The command that takes a kernel away, before and after its version; nothing where it is not certain who
/// keeps the kernels of a system.
std::optional<std::pair<std::string, std::string>> removalOf(const SurveyTree& tree, const PathBytes& top) {
  const auto there = [&](const char* path) { return tree.find(joinPath(top, path)).has_value(); };
  std::vector<std::pair<std::string, std::string>> known;
  if (there("var/lib/dpkg/status")) known.emplace_back("apt-get purge linux-image-", "");
  if (there("usr/lib/sysimage/rpm") || there("var/lib/rpm"))
    known.emplace_back(there("etc/zypp") ? "zypper remove kernel-default-" : "dnf remove kernel-core-", "");
  // A rolling system has one kernel a package, and none that is superseded.
  if (known.size() != 1 || there("var/lib/pacman/local")) return std::nullopt;
  return known.front();
}

/// Whether a version says which one is newer: it begins with a number, and is not the one for rescue.
bool isCounted(std::string_view version) {
  return std::isdigit(static_cast<unsigned char>(version.front())) != 0 && !version.starts_with("0-rescue") &&
         version.find("rescue") == std::string_view::npos && version.find('.') != std::string_view::npos;
}

}  // namespace

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
    if (at == all.end()) {
      at = all.insert(all.end(), KernelVersion{});
      at->version = version;
      at->flavour = flavourOf(version);
    }
    at->image = at->image || tree.name(id).starts_with("vmlinuz-");
    at->nodes.push_back(id);
  });
  std::erase_if(all, [](const KernelVersion& k) { return !k.image; });
  std::sort(all.begin(), all.end(), [](const KernelVersion& a, const KernelVersion& b) {
    return olderVersion(b.version, a.version);
  });
  const bool live = !context.options.machine.kernel.empty();
  const auto removal = removalOf(tree, top);
  // Of each flavour the newest starts by itself; where nobody can say which one runs, the one before it may.
  std::map<std::string, int> seen;
  for (KernelVersion& kernel : all) {
    const int nth = seen[kernel.flavour]++;
    kernel.stays = !removal || !isCounted(kernel.version) || nth == 0 ||
                   (live ? kernel.version == context.options.machine.kernel : nth == 1);
    if (removal) kernel.removal = removal->first + kernel.version + removal->second;
    addCompanions(tree, top, kernel);
  }
  // A running kernel that is not among them says that the list is not to be trusted.
  if (live && std::none_of(all.begin(), all.end(), [&](const KernelVersion& k) {
        return k.version == context.options.machine.kernel;
      }))
    for (KernelVersion& k : all) k.stays = true;
  return all;
}

}  // namespace zt
