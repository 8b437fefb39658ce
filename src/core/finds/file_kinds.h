// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"

namespace zt {

/// What a file holds, as far as its name tells.
enum class FileKind : std::uint8_t { sound, picture, video, archive, document, program, other };
constexpr int fileKinds = 7;
/// The name used in queries and JSON ("sound").
std::string_view name(FileKind kind);

/// Kinds by name, from the shared MIME database: the file `globs2` of shared-mime-info
/// ("weight:type:pattern", Shared MIME-info Database specification 0.21). No file is opened to tell its kind.
/// Immutable; any thread.
class KindTable {
public:
  /// Knows nothing: every file is `other`.
  KindTable() = default;
  /// From the text of a `globs2`. Lines that cannot be understood are passed over.
  explicit KindTable(std::string_view globs2);
  /// The database of this machine; fails with notThere where it is not installed.
  static Result<KindTable> ofThisMachine();

  FileKind of(std::string_view fileName) const;
  std::size_t patterns() const { return endings_.size() + names_.size() + globs_.size(); }

private:
  struct Rule {
    int weight = 0;
    FileKind kind = FileKind::other;
  };
  absl::flat_hash_map<std::string, Rule> endings_;  ///< ".tar.gz"
  absl::flat_hash_map<std::string, Rule> names_;    ///< "makefile"
  struct Glob {
    std::string pattern;
    std::string needle;  ///< its longest part without wildcards: a name without it need not be tried
    Rule rule;
  };
  /// The heaviest pattern that fits; nullptr if none does.
  const Glob* globOf(std::string_view plain) const;
  static constexpr std::size_t mostGlobs = 64;  ///< the lightest ones beyond are passed over
  using ByLetter = std::array<std::uint64_t, 256>;
  std::vector<Glob> globs_;  ///< heaviest first
  ByLetter globsByFirst_{};  ///< by a name's first letter: those that may fit it, a bit each
  ByLetter globsByLast_{};
  std::uint64_t nameSizes_ = 0;   ///< of `names_`, folded
  std::uint64_t nameStarts_ = 0;  ///< their first letters, folded
};

}  // namespace zt
