// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_set.h>

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace zt {

/// A name with the wildcards `*`, `?`, `[…]` and with words for what programs count or draw by lot:
/// `{hex}` eight or more hexadecimal digits, `{hex:N}` exactly N, `{digits}` one or more decimal digits,
/// `{lot}` six to sixteen letters, digits, `_` or `-` with at least one digit or capital inside, `{lot:N}`
/// exactly N letters, digits or `_`. A pattern that ends open (with `*` or `?`) fits no name with an ending
/// of its own: "data_*" is not "data_thesis.odt". Immutable; any thread.
class MadeName {
public:
  /// Nothing where a word is unknown or a bracket stays open.
  static std::optional<MadeName> read(std::string_view pattern);
  bool fits(std::string_view name) const;
  /// The same of a folder, whose name has no ending.
  bool fitsFolder(std::string_view name) const { return matches(0, name); }

private:
  struct Token {
    enum class Kind : unsigned char { text, any, one, set, hex, digits, lot };
    Kind kind = Kind::text;
    std::string text;       ///< letters, or what stands between the brackets
    std::size_t exact = 0;  ///< 0: as many as the word says
  };
  static std::optional<Token> word(std::string_view said);
  bool matches(std::size_t token, std::string_view rest) const;
  bool matchesWord(const Token& token, std::size_t next, std::string_view rest) const;

  std::vector<Token> tokens_;
  bool open_ = false;
};

/// Whether a name has an ending: a dot with letters or digits after it, at most eight, one of them a letter.
bool hasEnding(std::string_view name);

/// The kinds of entry that the maker of a place makes there. A pattern without a slash is of a name, however
/// deep; one with a slash is of the whole way from the place down, `**` being any number of folders ("./x" is
/// x at the place's top alone). In a family that does not tell case apart both sides are in lower case.
/// Immutable; any thread.
class KindList {
public:
  /// Fails with the pattern that cannot be read.
  static std::optional<KindList> read(std::span<const std::string> patterns, std::string& wrong);
  bool empty() const { return count_ == 0; }
  /// `way` leads from the place's own entry down; its last part is the entry's name. `own` is how many parts
  /// of it are the place's own entry, which patterns with a slash do not name: 0 or 1.
  bool fits(std::span<const std::string_view> way, std::size_t own, bool fold) const;

private:
  using Parts = std::vector<std::optional<MadeName>>;  ///< none: any number of folders
  struct Compiled {
    absl::flat_hash_set<std::string> endings;  ///< ".js" of "*.js"
    absl::flat_hash_set<std::string> names;
    std::vector<MadeName> wild;
    std::vector<Parts> ways;
  };
  static bool add(Compiled& to, const std::string& pattern);
  static bool fitsWay(std::span<const std::optional<MadeName>> parts, std::span<const std::string_view> way);
  static bool fitsName(const Compiled& in, std::string_view name);

  Compiled plain_;
  Compiled folded_;
  std::size_t count_ = 0;
};

}  // namespace zt
