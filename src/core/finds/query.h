// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <stop_token>

#include "core/finds/find.h"
#include "core/survey/age_size.h"

namespace zt {

/// Cells of the age × size field, both ends among them.
struct FieldRange {
  AgeBand youngest = AgeBand::today;
  AgeBand oldest = AgeBand::older;
  int smallest = 0;
  int largest = sizeBands - 1;
};

/// What the filter line asks for. Everything given must hold.
struct Query {
  std::vector<std::string> words;  ///< each stands in the name, in any case; with * or ? it is the whole name
  Bytes larger = 0;                ///< occupied by at least so much
  std::optional<Bytes> smaller;
  TimeNs olderThan = 0;  ///< last modified so long ago; 0: any
  std::optional<TimeNs> newerThan;
  std::vector<std::uint32_t> owners;  ///< one of them
  std::vector<FileKind> kinds;
  std::vector<Standing> standings;
  std::optional<bool> folders;      ///< only folders, only what is none
  std::optional<PathBytes> in;      ///< somewhere beneath this folder
  std::optional<FieldRange> field;  ///< only files in these cells; no word of the line asks for it
  bool empty() const;
};

/// Reads a filter line: words, and `size>1GB size<4GB age>1y age<30d kind:video owner:NAME standing:spent
/// is:folder in:PATH`, in any order; quotes keep spaces together. Fails with badInput and the word that is
/// not understood. Ages: d, w, m (30 days), y (365 days).
Result<Query> parseQuery(std::string_view text, const OwnerNames& owners);

/// What the word at the end of a filter line could become, the line before it left as it is.
std::vector<std::string> completeQuery(std::string_view text, const OwnerNames& owners);

/// Columns that lists of entries are sorted by.
enum class ListColumn : std::uint8_t { name, occupied, length, exclusive, files, newest, kind, owner };
constexpr int listColumns = 8;

/// The value that a column shows, as a number; the name's is 0.
std::uint64_t columnValue(const FindContext& context, NodeId node, ListColumn column);

/// Entries that answer a query, in order of their numbers. Stops early, with what it has, when asked to.
std::vector<NodeId> answer(const FindContext& context, const Query& query, const std::stop_token& stop);

/// Puts the first `rows` of a sorted list at its front, those in order; all of it where `rows` is at least
/// its size. Equal values stand by number. One thread a list.
void sortList(const FindContext& context, std::vector<NodeId>& list, ListColumn column, bool descending,
              std::size_t rows);

}  // namespace zt
