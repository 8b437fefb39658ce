// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure/point_words.h"

#include <algorithm>
#include <array>
#include <nlohmann/json.hpp>

namespace zt {

namespace {

std::string tidied(std::string_view text) {
  constexpr std::size_t longest = 200;
  std::string words;
  for (const char c : text.substr(0, longest))
    if (static_cast<unsigned char>(c) >= ' ' && c != 127) words += c;
  // Not in the middle of a letter.
  while (text.size() > longest && !words.empty() && (static_cast<unsigned char>(words.back()) & 0xc0) == 0x80)
    words.pop_back();
  return words;
}

/// Text of an element without children; the five entities that every XML document knows.
std::string elementOf(std::string_view document, std::string_view name) {
  const std::string open = "<" + std::string(name) + ">", close = "</" + std::string(name) + ">";
  const auto from = document.find(open);
  const auto to = from == std::string_view::npos ? from : document.find(close, from);
  if (to == std::string_view::npos) return {};
  std::string text(document.substr(from + open.size(), to - from - open.size()));
  static constexpr std::array<std::pair<std::string_view, char>, 5> entities{
      {{"&lt;", '<'}, {"&gt;", '>'}, {"&quot;", '"'}, {"&apos;", '\''}, {"&amp;", '&'}}};
  for (const auto& [entity, c] : entities)
    for (auto at = text.find(entity); at != std::string::npos; at = text.find(entity, at + 1))
      text.replace(at, entity.size(), 1, c);
  return text;
}

}  // namespace

std::string wordsIn(std::string_view document) {
  const auto start = document.find_first_not_of(" \t\r\n");
  if (start == std::string_view::npos) return {};
  if (document[start] == '<') return tidied(elementOf(document, "description"));
  const auto json = nlohmann::json::parse(document, nullptr, false);
  if (!json.is_object()) return {};
  for (const char* key : {"description", "comments", "comment"}) {
    const auto at = json.find(key);
    if (at != json.end() && at->is_string() && !at->get_ref<const std::string&>().empty())
      return tidied(at->get_ref<const std::string&>());
  }
  return {};
}

HoldingsPtr withWords(HoldingsPtr holdings, const SurveyTree& tree, FileSystemReader& files,
                      const Folder& root) {
  if (!holdings || holdings->points.empty()) return holdings;
  constexpr std::size_t longest = 64 * 1024;
  auto worded = std::make_shared<Holdings>(*holdings);
  for (Point& p : worded->points) {
    if (p.node == noNode) continue;
    const NodeId folder = tree.parent(p.node);
    for (const char* name : {"info.xml", "info.json"}) {
      const auto file = tree.child(folder, name);
      if (!file || tree.kind(*file) != EntryKind::file || tree.length(*file) > longest) continue;
      const auto in = files.openBeneath(root, tree.path(folder));
      const auto document = in ? files.readFile(**in, name, longest) : Result<std::string>(std::string{});
      if (document) p.words = wordsIn(*document);
      break;
    }
  }
  return worded;
}

}  // namespace zt
