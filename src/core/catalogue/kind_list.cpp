// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/kind_list.h"

#include <algorithm>
#include <charconv>

#include "core/base/path_bytes.h"
#include "core/base/string_key.h"
#include "core/catalogue/name_pattern.h"

namespace zt {

namespace {

bool isDigit(char c) {
  return c >= '0' && c <= '9';
}
bool isLetter(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
}
bool isHex(char c) {
  return isDigit(c) || (c >= 'a' && c <= 'f') || (c >= 'A' && c <= 'F');
}
bool isLot(char c) {
  return isDigit(c) || isLetter(c) || c == '_';
}

}  // namespace

bool hasEnding(std::string_view name) {
  const auto dot = name.rfind('.');
  if (dot == std::string_view::npos || dot == 0) return false;
  const auto ending = name.substr(dot + 1);
  return !ending.empty() && ending.size() <= 8 &&
         std::all_of(ending.begin(), ending.end(), [](char c) { return isDigit(c) || isLetter(c); }) &&
         std::any_of(ending.begin(), ending.end(), isLetter);
}

std::optional<MadeName::Token> MadeName::word(std::string_view said) {
  Token token;
  const auto colon = std::min(said.find(':'), said.size());
  const auto id = said.substr(0, colon);
  if (id == "hex")
    token.kind = Token::Kind::hex;
  else if (id == "digits")
    token.kind = Token::Kind::digits;
  else if (id == "lot")
    token.kind = Token::Kind::lot;
  else
    return std::nullopt;
  if (colon == said.size()) return token;
  const auto number = said.substr(colon + 1);
  const auto [end, problem] = std::from_chars(number.data(), number.data() + number.size(), token.exact);
  if (problem != std::errc{} || end != number.data() + number.size() || token.exact == 0 || token.exact > 255)
    return std::nullopt;
  return token;
}

std::optional<MadeName> MadeName::read(std::string_view pattern) {
  MadeName name;
  const auto add = [&](Token::Kind kind, std::string text = {}) {
    name.tokens_.push_back({kind, std::move(text), 0});
  };
  for (std::size_t i = 0; i < pattern.size(); ++i) {
    const char c = pattern[i];
    if (c == '*') {
      add(Token::Kind::any);
    } else if (c == '?') {
      add(Token::Kind::one);
    } else if (c == '[' || c == '{') {
      const auto end = pattern.find(c == '[' ? ']' : '}', i + 1);
      if (end == std::string_view::npos) return std::nullopt;
      const auto said = pattern.substr(i + 1, end - i - 1);
      if (c == '[') {
        add(Token::Kind::set, std::string(said));
      } else {
        auto token = word(said);
        if (!token) return std::nullopt;
        name.tokens_.push_back(std::move(*token));
      }
      i = end;
    } else if (!name.tokens_.empty() && name.tokens_.back().kind == Token::Kind::text) {
      name.tokens_.back().text += c;
    } else {
      add(Token::Kind::text, std::string(1, c));
    }
  }
  if (name.tokens_.empty()) return std::nullopt;
  const auto last = name.tokens_.back().kind;
  name.open_ = last == Token::Kind::any || last == Token::Kind::one;
  return name;
}

bool MadeName::fits(std::string_view name) const {
  return !(open_ && hasEnding(name)) && matches(0, name);
}

bool MadeName::matches(std::size_t at, std::string_view rest) const {
  for (; at < tokens_.size(); ++at) {
    const Token& token = tokens_[at];
    switch (token.kind) {
      case Token::Kind::text:
        if (!rest.starts_with(token.text)) return false;
        rest.remove_prefix(token.text.size());
        break;
      case Token::Kind::one:
      case Token::Kind::set:
        if (rest.empty() || (token.kind == Token::Kind::set && !letterInSet(token.text, rest.front())))
          return false;
        rest.remove_prefix(1);
        break;
      case Token::Kind::any:
        if (at + 1 == tokens_.size()) return true;
        for (std::size_t skip = 0; skip <= rest.size(); ++skip)
          if (matches(at + 1, rest.substr(skip))) return true;
        return false;
      default:
        return matchesWord(token, at + 1, rest);
    }
  }
  return rest.empty();
}

bool MadeName::matchesWord(const Token& token, std::size_t next, std::string_view rest) const {
  const bool hex = token.kind == Token::Kind::hex;
  const bool lot = token.kind == Token::Kind::lot;
  const std::size_t least = token.exact != 0 ? token.exact : hex ? 8 : lot ? 6 : 1;
  const std::size_t most = token.exact != 0 ? token.exact : lot ? 16 : 255;
  std::size_t length = 0;
  bool drawn = !lot || token.exact != 0;
  for (; length < rest.size() && length < most; ++length) {
    const char c = rest[length];
    if (!(hex ? isHex(c) : lot ? isLot(c) || c == '-' : isDigit(c))) break;
    drawn = drawn || isDigit(c) || (length > 0 && c >= 'A' && c <= 'Z');
    if (length + 1 >= least && drawn && matches(next, rest.substr(length + 1))) return true;
  }
  return false;
}

bool KindList::add(Compiled& to, const std::string& pattern) {
  if (pattern.find('/') != std::string::npos) {
    Parts parts;
    for (const auto part : splitPath(pattern)) {
      if (part == ".") continue;  // "./stats": this name at the top alone
      if (part == "**") {
        parts.emplace_back();
        continue;
      }
      auto name = MadeName::read(part);
      if (!name) return false;
      parts.emplace_back(std::move(*name));
    }
    if (parts.empty() || !parts.back()) return false;
    to.ways.push_back(std::move(parts));
    return true;
  }
  const bool wild = pattern.find_first_of("*?[{") != std::string::npos;
  const bool ending = pattern.starts_with("*.") && pattern.find_first_of("*?[{.", 2) == std::string::npos;
  if (!wild) return to.names.insert(pattern), true;
  if (ending) return to.endings.insert(pattern.substr(1)), true;
  auto name = MadeName::read(pattern);
  if (name) to.wild.push_back(std::move(*name));
  return name.has_value();
}

std::optional<KindList> KindList::read(std::span<const std::string> patterns, std::string& wrong) {
  KindList list;
  for (const std::string& pattern : patterns) {
    if (!add(list.plain_, pattern) || !add(list.folded_, lowered(pattern))) {
      wrong = pattern;
      return std::nullopt;
    }
    ++list.count_;
  }
  return list;
}

bool KindList::fitsName(const Compiled& in, std::string_view name) {
  if (in.names.contains(keyOf(name))) return true;
  if (const auto dot = name.rfind('.');
      dot != std::string_view::npos && dot > 0 && in.endings.contains(keyOf(name.substr(dot))))
    return true;
  return std::any_of(in.wild.begin(), in.wild.end(), [&](const MadeName& w) { return w.fits(name); });
}

bool KindList::fitsWay(std::span<const std::optional<MadeName>> parts,
                       std::span<const std::string_view> way) {
  if (parts.empty()) return way.empty();
  if (!parts.front()) {
    for (std::size_t skip = 0; skip < way.size(); ++skip)
      if (fitsWay(parts.subspan(1), way.subspan(skip))) return true;
    return false;
  }
  if (way.empty()) return false;
  const bool last = way.size() == 1;
  return (last ? parts.front()->fits(way.front()) : parts.front()->fitsFolder(way.front())) &&
         fitsWay(parts.subspan(1), way.subspan(1));
}

bool KindList::fits(std::span<const std::string_view> way, std::size_t own, bool fold) const {
  if (way.empty()) return false;
  const Compiled& in = fold ? folded_ : plain_;
  if (fitsName(in, way.back())) return true;
  const auto below = way.subspan(std::min(own, way.size() - 1));
  return std::any_of(in.ways.begin(), in.ways.end(),
                     [&](const Parts& parts) { return fitsWay(parts, below); });
}

}  // namespace zt
