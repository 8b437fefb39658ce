// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stop_token>

#include "core/finds/find_context.h"
#include "core/query/question.h"

namespace zt {

/// Columns that lists of entries are sorted by.
enum class ListColumn : std::uint8_t { name, occupied, length, exclusive, files, newest, kind, owner };
constexpr int listColumns = 8;

/// The value that a column shows, as a number; the name's is 0.
std::uint64_t columnValue(const FindContext& context, NodeId node, ListColumn column);

/// The words that a question about a survey's entries may use; about finds, with their kinds. The context
/// must outlive them.
QuestionWords questionWords(const FindContext& context, std::vector<std::string> findKinds = {});

/// Entries that answer a question, in order of their numbers. Stops early, with what it has, when asked to.
std::vector<NodeId> answer(const FindContext& context, const Question& question, const std::stop_token& stop);

/// Tells which finds answer a question: amounts are their gain at most, ages those of their newest, the rest
/// holds if it does of any of their things, and, negated, of none. Made once for a question. One thread.
class FindMatcher {
public:
  FindMatcher(const FindContext& context, Question question);
  bool fits(const Find& find) const;

private:
  bool holds(const Find& find, const Condition& condition) const;
  const FindContext& context_;
  Question question_;
};

/// Puts the first `rows` of a sorted list at its front, those in order; all of it where `rows` is at least
/// its size. Equal values stand by number. One thread a list.
void sortList(const FindContext& context, std::vector<NodeId>& list, ListColumn column, bool descending,
              std::size_t rows);

}  // namespace zt
