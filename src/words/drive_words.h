// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/drive/target.h"
#include "core/job/plan_book.h"
#include "core/query/question.h"
#include "words/kind_words.h"

namespace zt {

/// Bench and Survey: drives, targets, the statement, questions, what went wrong, and our own words.
class DriveWords : public KindWords {
public:
  std::string driveName(const Drive& d) const;
  std::string driveLine(const Drive& d) const;  ///< "system · solid-state · 256.1 GB"
  std::string targetName(const Target& t) const;
  std::string targetReason(const Target& t) const;
  std::string problem(Errc code, const std::string& detail = {}) const;
  std::string error(const Error& e) const;
  /// Why a run could not be brought to its end, or a drive cannot be worked on.
  std::string left(const LeftLine& line) const;
  std::string statementLine(StatementLine line) const;
  std::string lineSource(LineSource source) const;
  std::string statementPart(const StatementPart& part) const;
  /// What measuring may have done to access times; empty where it did nothing.
  std::string accessTimes(const Survey& survey) const;
  /// The words of a question in their language, for `QuestionWords::theirs`; none where they are ours.
  std::vector<std::pair<std::string, std::string>> asked(const std::vector<std::string>& findKinds) const;
  /// How a question was understood, as a sentence.
  std::string understood(const Question& question) const;
  /// What is wrong with a question.
  std::string notUnderstood(const Error& error) const;
  std::string explain(std::string_view word) const;  ///< empty for words that are not ours
  /// All words of ours, and one of them, in their language.
  std::vector<std::string> known() const;
  std::string theirWord(std::string_view word) const;

protected:
  using KindWords::KindWords;

private:
  std::string condition(const Condition& c) const;
};

}  // namespace zt
