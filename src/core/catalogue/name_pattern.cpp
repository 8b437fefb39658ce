// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/name_pattern.h"

#include <algorithm>

namespace zt {

namespace {

/// Where a set ends that begins at `at` (a bracket): the place of its closing bracket; npos if it has none.
std::size_t endOfSet(std::string_view pattern, std::size_t at) {
  ++at;
  if (at < pattern.size() && (pattern[at] == '!' || pattern[at] == '^')) ++at;
  return pattern.find(']', at + 1);  // a bracket that stands first is one of the letters
}

/// Whether one letter fits what the pattern has at `at`; moves `at` beyond it.
bool fitsOne(std::string_view pattern, std::size_t& at, char c) {
  const char p = pattern[at];
  if (p == '?') return ++at, true;
  if (p == '[')
    if (const auto end = endOfSet(pattern, at); end != std::string_view::npos) {
      const auto set = pattern.substr(at + 1, end - at - 1);
      at = end + 1;
      return letterInSet(set, c);
    }
  if (p == '\\' && at + 1 < pattern.size()) ++at;
  return pattern[at++] == c;
}

}  // namespace

bool letterInSet(std::string_view set, char c) {
  const bool but = set.starts_with('!') || set.starts_with('^');
  if (but) set.remove_prefix(1);
  const auto code = [](char of) { return static_cast<unsigned char>(of); };
  bool found = false;
  for (std::size_t i = 0; i < set.size() && !found; ++i) {
    const bool span = i + 2 < set.size() && set[i + 1] == '-';
    found = span ? code(set[i]) <= code(c) && code(c) <= code(set[i + 2]) : set[i] == c;
    i += span ? 2 : 0;
  }
  return found != but;
}

bool globFits(std::string_view pattern, std::string_view name) {
  std::size_t p = 0, n = 0;
  std::size_t star = std::string_view::npos, from = 0;  // the last star, and what it may take up to
  while (n < name.size()) {
    if (p < pattern.size() && pattern[p] == '*') {
      star = ++p;
      from = n;
      continue;
    }
    if (p < pattern.size() && fitsOne(pattern, p, name[n])) {
      ++n;
      continue;
    }
    if (star == std::string_view::npos) return false;
    p = star;  // the star takes one more
    n = ++from;
  }
  while (p < pattern.size() && pattern[p] == '*') ++p;
  return p == pattern.size();
}

NamePattern::NamePattern(std::string pattern) : text_(std::move(pattern)) {
  const std::string_view t = text_;
  if (t == "*")
    shape_ = Shape::all;
  else if (t.ends_with('*') && !isWild(t.substr(0, t.size() - 1)))
    shape_ = Shape::start;
  else if (t.starts_with('*') && !isWild(t.substr(1)))
    shape_ = Shape::end;
}

bool NamePattern::fits(std::string_view name) const {
  const std::string_view t = text_;
  switch (shape_) {
    case Shape::all:
      return true;
    case Shape::start:
      return name.starts_with(t.substr(0, t.size() - 1));
    case Shape::end:
      return name.ends_with(t.substr(1));
    case Shape::other:
      break;
  }
  return globFits(text_, name);
}

std::uint8_t NamePattern::letters() const {
  std::size_t letters = 0;
  for (std::size_t i = 0; i < text_.size(); ++i) {
    const auto end = text_[i] == '[' ? endOfSet(text_, i) : std::string_view::npos;
    if (end != std::string_view::npos)
      i = end;
    else if (text_[i] != '*' && text_[i] != '?')
      ++letters;
  }
  return static_cast<std::uint8_t>(std::min<std::size_t>(254, letters));
}

std::string_view NamePattern::ending() const {
  const std::string_view t = text_;
  return shape_ == Shape::end && t[1] == '.' && t.rfind('.') == 1 ? t.substr(1) : std::string_view{};
}

}  // namespace zt
