// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "core/base/result.h"
#include "core/finds/file_kinds.h"
#include "core/finds/find.h"
#include "core/os/owner_names.h"

namespace zt {

/// Cells of the age × size field, both ends among them.
struct FieldRange {
  AgeBand youngest = AgeBand::today;
  AgeBand oldest = AgeBand::older;
  int smallest = 0;
  int largest = sizeBands - 1;
  bool operator==(const FieldRange&) const = default;
};

/// One condition of a question.
struct Condition {
  enum class Sort : std::uint8_t {
    over,      ///< occupies more than `bytes`
    under,     ///< occupies less than `bytes`
    older,     ///< last modified more than `days` ago
    newer,     ///< last modified less than `days` ago
    kind,      ///< holds what `text` names: "video"
    findKind,  ///< is a find of the kind `text`
    standing,  ///< stands as `text` names: "spent"
    owner,     ///< belongs to `text`
    in,        ///< lies somewhere in the folder `text`
    files,
    folders,
    name  ///< `text` stands in its name, in any case; with * or ? it is the whole name, unless `literal`
  };
  Sort sort = Sort::name;
  bool negated = false;
  Bytes bytes = 0;
  int days = 0;
  std::string text;      ///< name bytes where it is a path or a part of a name
  bool literal = false;  ///< was quoted: no wildcards, no word of the language
  bool operator==(const Condition&) const = default;
};

/// What is asked of a survey's entries, or of finds. All conditions must hold; of several kinds, standings,
/// owners or folders that are not negated, one must.
struct Question {
  std::vector<Condition> conditions;
  std::optional<FieldRange> field;  ///< only files in these cells; no word of the language asks for it
  bool empty() const { return conditions.empty() && !field; }
  bool operator==(const Question&) const = default;
};

/// The words that depend on what is asked about.
struct QuestionWords {
  OwnerNames owners;
  std::vector<std::string> findKinds;  ///< empty where entries are asked about
  /// The folder that a path names, from the measured root; nothing for what is none. Empty: any may be.
  std::function<std::optional<PathBytes>(const PathBytes& path)> folder = nullptr;
  /// Their words for ours, in small letters ("über" for "over"): a question may be asked in either.
  std::vector<std::pair<std::string, std::string>> theirs = {};
};

/// Reads a question in plain words: conditions separated by commas.
///
///     over 1 GB · under 20 MB · older 1 y · newer 30 d · video · spent · owner's call · of warden ·
///     in srv/recordings · files · folders · not before any of them · anything else is part of a name,
///     "in quotes" taken literally
///
/// Amounts as in `parseAmount`; ages in d, w, m (30 days) and y (365 days). Fails with badInput: `detail` is
/// the condition that is not understood (an owner or folder that is not known among them), `sysErrno` the
/// place of its first letter, counted from 1; with `path` the condition before it that it contradicts.
Result<Question> parseQuestion(std::string_view text, const QuestionWords& words);

/// The way back: a text that is read as the same question.
std::string questionText(const Question& question);

/// What the condition at the end of a text could become, the text before it left as it is.
std::vector<std::string> completeQuestion(std::string_view text, const QuestionWords& words);

/// "90 d", "8w", "6 m" (of 30 days), "1 y" (of 365) in days, at most 100,000; nullopt for anything else.
std::optional<int> parseDays(std::string_view text);

}  // namespace zt
