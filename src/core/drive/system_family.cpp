// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/system_family.h"

namespace zt {

namespace {

/// The value of one key of an os-release file (freedesktop os-release: KEY="value" lines).
std::string osReleaseValue(std::string_view text, std::string_view key) {
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    std::string_view line = text.substr(at, end - at);
    at = end + 1;
    if (line.size() <= key.size() || line.substr(0, key.size()) != key || line[key.size()] != '=') continue;
    line.remove_prefix(key.size() + 1);
    if (line.size() >= 2 && (line.front() == '"' || line.front() == '\''))
      line = line.substr(1, line.size() - 2);
    return escapePath(line.substr(0, 80));
  }
  return {};
}

bool hasFolder(FileSystemReader& files, const Folder& root, std::string_view path) {
  return files.openBeneath(root, path).has_value();
}

}  // namespace

FoundSystem findSystem(FileSystemReader& files, const Folder& root) {
  for (const char* folder : {"usr/lib", "etc"}) {
    const auto at = files.openBeneath(root, folder);
    if (!at) continue;
    const auto text = files.readFile(**at, "os-release", 64 * 1024);
    if (!text) continue;
    std::string name = osReleaseValue(*text, "PRETTY_NAME");
    return {SystemFamily::linuxKind, name.empty() ? osReleaseValue(*text, "NAME") : name};
  }
  if (hasFolder(files, root, "Windows/System32")) return {SystemFamily::windows, "Windows"};
  if (hasFolder(files, root, "System/Library/CoreServices")) return {SystemFamily::mac, "macOS"};
  return {};
}

}  // namespace zt
