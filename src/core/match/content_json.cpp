// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/match/content_json.h"

#include <charconv>
#include <cstdio>

namespace zt {

std::string hexOf(const Digest& d) {
  char text[40];
  std::snprintf(text, sizeof text, "%016llx%016llx", static_cast<unsigned long long>(d.high),
                static_cast<unsigned long long>(d.low));
  return text;
}

std::optional<Digest> digestOf(std::string_view text) {
  if (text.size() != 32) return std::nullopt;
  Digest d;
  for (auto [part, value] : {std::pair(text.substr(0, 16), &d.high), std::pair(text.substr(16), &d.low)}) {
    const auto [end, problem] = std::from_chars(part.data(), part.data() + part.size(), *value, 16);
    if (problem != std::errc{} || end != part.data() + part.size()) return std::nullopt;
  }
  return d;
}

Json seenFileJson(const SurveyTree& tree, NodeId node) {
  const Identity is = tree.identity(node);
  Json one{
      {"inode", is.inode}, {"length_bytes", is.length}, {"modified_ns", is.modified}, {"born", is.bornMark}};
  putPath(one, "path", tree.path(node));
  return one;
}

std::optional<NodeId> readSeenFile(JsonReader& in, const SurveyTree& tree) {
  const auto node = tree.find(in.path("path"));
  const auto inode = in.number<std::uint64_t>("inode");
  const auto length = in.number<Bytes>("length_bytes");
  const auto modified = in.number<TimeNs>("modified_ns");
  const auto born = in.number<std::uint32_t>("born");
  if (!node) return std::nullopt;
  const Identity is = tree.identity(*node);
  const bool same =
      is.inode == inode && is.length == length && is.modified == modified && is.bornMark == born;
  return same ? node : std::nullopt;
}

std::optional<NodeId> stillOn(const SurveyTree& from, NodeId node, const SurveyTree& to) {
  const auto same = to.find(from.path(node));
  return same && to.identity(*same) == from.identity(node) ? same : std::nullopt;
}

}  // namespace zt
