// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace zt {

/// One part of a path with the wildcards of fnmatch(3). Immutable; any thread.
class NamePattern {
public:
  explicit NamePattern(std::string pattern);
  static bool isWild(std::string_view part) { return part.find_first_of("*?[") != std::string_view::npos; }

  bool fits(std::string_view name) const;
  const std::string& text() const { return text_; }
  /// How many letters of it are no wildcards; at most 254.
  std::uint8_t letters() const;
  /// ".qcow2" of "*.qcow2"; empty for other shapes.
  std::string_view ending() const;

private:
  enum class Shape : unsigned char { all, start, end, other };
  std::string text_;
  Shape shape_ = Shape::other;
};

}  // namespace zt
