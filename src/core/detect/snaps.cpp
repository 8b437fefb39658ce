// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/snaps.h"

#include "core/base/json_reader.h"

namespace zt {

namespace {

constexpr std::size_t mostState = std::size_t{64} * 1024 * 1024;

/// A text under a key, or a number as text.
std::string textOf(const Json& object, const char* key) {
  const auto at = object.is_object() ? object.find(key) : object.end();
  if (!object.is_object() || at == object.end()) return {};
  if (at->is_string()) return at->get<std::string>();
  return at->is_number_integer() ? std::to_string(at->get<std::int64_t>()) : std::string();
}

/// It becomes part of a file's name and of a command.
bool isPlain(const std::string& text) {
  return !text.empty() && text.size() <= 100 &&
         text.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789-_") == std::string::npos;
}

}  // namespace

std::vector<SnapRevision> disabledInState(std::string_view stateJson) {
  std::vector<SnapRevision> all;
  const Json state = parseJson(stateJson);
  if (!state.is_object() || !state.contains("data") || !state["data"].is_object()) return all;
  const Json& data = state["data"];
  if (!data.contains("snaps") || !data["snaps"].is_object()) return all;
  for (const auto& [name, snap] : data["snaps"].items()) {
    const std::string current = textOf(snap, "current");
    if (current.empty() || !snap.contains("sequence") || !snap["sequence"].is_array()) continue;
    std::vector<SnapRevision> others;
    bool named = false;  // a list without the current one is not to be trusted
    for (const Json& entry : snap["sequence"]) {
      const bool nested = entry.is_object() && entry.contains("snap");
      const std::string revision = textOf(nested ? entry["snap"] : entry, "revision");
      named = named || revision == current;
      if (revision != current && isPlain(name) && isPlain(revision))
        others.push_back({name, revision, noNode});
    }
    if (named) all.insert(all.end(), others.begin(), others.end());
  }
  return all;
}

std::vector<SnapRevision> disabledSnaps(const DetectInput& input, const SystemRoot& system) {
  if (!input.files || !input.root) return {};
  const PathBytes folder = joinPath(system.at, "var/lib/snapd");
  const auto at = input.files->openBeneath(*input.root, folder);
  if (!at) return {};
  const auto text = input.files->readFile(**at, "state.json", mostState);
  if (!text) return {};
  const FindContext& c = *input.context;
  std::vector<SnapRevision> all = disabledInState(*text);
  for (SnapRevision& snap : all)
    snap.image =
        c.tree.find(joinPath(folder, "snaps/" + snap.name + "_" + snap.revision + ".snap")).value_or(noNode);
  std::erase_if(all, [&](const SnapRevision& snap) {
    return snap.image == noNode || c.tree.kind(snap.image) != EntryKind::file ||
           c.heldBy.contains(snap.image);
  });
  return all;
}

}  // namespace zt
