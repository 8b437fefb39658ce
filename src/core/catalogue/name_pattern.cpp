// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/name_pattern.h"

#include <fnmatch.h>

#include <algorithm>

namespace zt {

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
  return ::fnmatch(text_.c_str(), std::string(name).c_str(), 0) == 0;
}

std::uint8_t NamePattern::letters() const {
  const auto wild = std::count_if(text_.begin(), text_.end(), [](char c) { return c == '*' || c == '?'; });
  return static_cast<std::uint8_t>(std::min<std::size_t>(254, text_.size() - static_cast<std::size_t>(wild)));
}

std::string_view NamePattern::ending() const {
  const std::string_view t = text_;
  return shape_ == Shape::end && t[1] == '.' && t.rfind('.') == 1 ? t.substr(1) : std::string_view{};
}

}  // namespace zt
