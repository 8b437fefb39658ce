// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace zt {

/// Whether a name fits a pattern with `*`, `?` and `[…]` (ranges, `!` or `^` for all but those; `\` takes the
/// next letter as it is). As fnmatch(3) without flags, but byte by byte: names need be in no character set.
bool globFits(std::string_view pattern, std::string_view name);

/// Whether a letter is in a set as it stands between brackets: "a-z", "!0-9".
bool letterInSet(std::string_view set, char c);

/// One part of a path with wildcards, see `globFits`. Immutable; any thread.
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
