// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <limits>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>
#include <type_traits>

#include "core/base/path_bytes.h"
#include "core/base/result.h"

namespace zt {

using Json = nlohmann::json;

/// Parses text from outside: null for anything that is not JSON, and for nesting that is too deep.
Json parseJson(std::string_view text);

/// A path for JSON: "key" escaped, and "key_b64" with the exact bytes where escaping was needed.
void putPath(Json& object, std::string_view key, std::string_view path);

/// Reads checked values out of JSON that somebody else may have written. The first thing that is wrong is
/// remembered with its place ("lines[3].items[0].identity.inode"); later reads give zeros and empty texts, so
/// that whoever reads asks once, at the end. The JSON must outlive the reader, and a reader those it gave
/// out. One thread.
class JsonReader {
public:
  explicit JsonReader(const Json& json) : json_(json) {}

  bool has(const char* key) const { return json_.is_object() && json_.contains(key); }

  /// A whole number in the range of T. It must be there.
  template <class T>
  T number(const char* key) {
    const Json* at = find(key);
    return at != nullptr && fits<T>(*at) ? at->get<T>() : (wrong(key), T{});
  }
  template <class T>
  T numberOr(const char* key, T missing) {
    return has(key) ? number<T>(key) : missing;
  }
  std::string text(const char* key, std::size_t most = 4096);
  std::string textOr(const char* key, std::string missing = {}, std::size_t most = 4096) {
    return has(key) ? text(key, most) : std::move(missing);
  }
  bool flag(const char* key);
  bool flagOr(const char* key, bool missing) { return has(key) ? flag(key) : missing; }
  /// Exact bytes as `putPath` wrote them.
  PathBytes path(const char* key);
  PathBytes pathOr(const char* key, PathBytes missing = {}) {
    return has(key) ? path(key) : std::move(missing);
  }
  /// A value of an enumeration by the name that `name(Enum)` gives it.
  template <class Enum>
  Enum choice(const char* key, int count) {
    const std::string given = text(key);
    for (int i = 0; i < count; ++i)
      if (name(static_cast<Enum>(i)) == given) return static_cast<Enum>(i);
    return wrong(key), Enum{};
  }
  template <class Enum>
  Enum choiceOr(const char* key, int count, Enum missing) {
    return has(key) ? choice<Enum>(key, count) : missing;
  }

  /// Calls `take(JsonReader&)` for each object of a list that must be there.
  template <class Take>
  void each(const char* key, std::size_t most, Take take) {
    const Json* at = find(key);
    if (at == nullptr || !at->is_array() || at->size() > most) return wrong(key);
    std::size_t index = 0;
    for (const Json& item : *at) {
      JsonReader inner(item, *this, key, index++);
      if (!item.is_object()) return inner.wrong("");
      take(inner);
    }
  }
  template <class Take>
  void eachOr(const char* key, std::size_t most, Take take) {
    if (has(key)) each(key, most, std::move(take));
  }
  /// Calls `take(JsonReader&)` with an object that must be there.
  template <class Take>
  void object(const char* key, Take take) {
    const Json* at = find(key);
    if (at == nullptr || !at->is_object()) return wrong(key);
    JsonReader inner(*at, *this, key, noIndex);
    take(inner);
  }

  /// Notes that something is wrong with a value.
  void wrong(std::string_view key);
  bool ok() const { return root().fault_.empty(); }
  /// The place of the first fault; empty if there is none.
  const std::string& fault() const { return root().fault_; }
  const Json& json() const { return json_; }

private:
  static constexpr std::size_t noIndex = std::numeric_limits<std::size_t>::max();
  JsonReader(const Json& json, JsonReader& above, const char* key, std::size_t index)
      : json_(json), above_(&above), key_(key), index_(index) {}
  const JsonReader& root() const { return above_ == nullptr ? *this : above_->root(); }
  JsonReader& root() { return above_ == nullptr ? *this : above_->root(); }
  std::string place() const;
  const Json* find(const char* key) const;

  template <class T>
  static bool fits(const Json& j) {
    static_assert(std::is_integral_v<T>);
    if (!j.is_number_integer()) return false;
    if (j.is_number_unsigned())
      return j.get<std::uint64_t>() <= static_cast<std::uint64_t>(std::numeric_limits<T>::max());
    const auto value = j.get<std::int64_t>();
    if constexpr (std::is_unsigned_v<T>)
      return value >= 0;
    else
      return value >= std::numeric_limits<T>::min() && value <= std::numeric_limits<T>::max();
  }

  const Json& json_;
  JsonReader* above_ = nullptr;
  const char* key_ = "";
  std::size_t index_ = noIndex;
  std::string fault_;  ///< of the outermost reader
};

}  // namespace zt
