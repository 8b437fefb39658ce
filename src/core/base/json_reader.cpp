// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/json_reader.h"

#include <algorithm>

#include <absl/strings/escaping.h>

namespace zt {

namespace {
/// How deep lists and objects lie in each other, outside of texts.
int depthOf(std::string_view text) {
  int depth = 0;
  int deepest = 0;
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted && c == '\\') ++i;
    if (c == '"') quoted = !quoted;
    if (quoted) continue;
    if (c == '[' || c == '{') deepest = std::max(deepest, ++depth);
    if (c == ']' || c == '}') --depth;
  }
  return deepest;
}
}  // namespace

/// What is too deep is not even read: values are copied and let go by recursion.
Json parseJson(std::string_view text) {
  constexpr int mostDepth = 100;
  if (depthOf(text) > mostDepth) return {};
  Json json = Json::parse(text, nullptr, false);
  if (json.is_discarded()) json = nullptr;
  return json;
}

void putPath(Json& object, std::string_view key, std::string_view path) {
  const std::string shown = escapePath(path);
  if (shown != path)
    object[std::string(key) + "_b64"] = absl::Base64Escape(absl::string_view(path.data(), path.size()));
  object[std::string(key)] = shown;
}

const Json* JsonReader::find(const char* key) const {
  if (!json_.is_object()) return nullptr;
  const auto at = json_.find(key);
  return at == json_.end() ? nullptr : &*at;
}

std::string JsonReader::place() const {
  if (above_ == nullptr) return {};
  std::string text = above_->place();
  if (!text.empty()) text += '.';
  text += key_;
  if (index_ != noIndex) text += '[' + std::to_string(index_) + ']';
  return text;
}

void JsonReader::wrong(std::string_view key) {
  std::string& fault = root().fault_;
  if (!fault.empty()) return;
  fault = place();
  if (!fault.empty() && !key.empty()) fault += '.';
  fault += key;
  if (fault.empty()) fault = "document";
}

std::string JsonReader::text(const char* key, std::size_t most) {
  const Json* at = find(key);
  if (at == nullptr || !at->is_string() || at->get_ref<const std::string&>().size() > most)
    return wrong(key), std::string{};
  return at->get<std::string>();
}

bool JsonReader::flag(const char* key) {
  const Json* at = find(key);
  if (at == nullptr || !at->is_boolean()) return wrong(key), false;
  return at->get<bool>();
}

PathBytes JsonReader::path(const char* key) {
  constexpr std::size_t most = std::size_t{1} << 20;
  const std::string exactKey = std::string(key) + "_b64";
  if (!has(exactKey.c_str())) return text(key, most);
  std::string bytes;
  if (!absl::Base64Unescape(text(exactKey.c_str(), 2 * most), &bytes)) wrong(exactKey);
  return bytes;
}

}  // namespace zt
