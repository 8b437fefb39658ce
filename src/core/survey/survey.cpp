// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/survey.h"

#include <algorithm>
#include <numeric>

namespace zt {

std::string_view name(SurveyException::Kind kind) {
  switch (kind) {
    case SurveyException::Kind::unreadable:
      return "unreadable";
    case SurveyException::Kind::vanished:
      return "vanished";
    case SurveyException::Kind::mountedOver:
      return "mounted-over";
    case SurveyException::Kind::swapped:
      return "swapped";
    case SurveyException::Kind::unanswered:
      return "unanswered";
  }
  return "unreadable";
}

std::string_view name(StatementLine line) {
  static constexpr std::array<std::string_view, statementLines> names{
      "free",     "reserved",          "files",     "snapshots",  "open_deleted", "beneath_mounts",
      "overhead", "changed_meanwhile", "elsewhere", "unexplained"};
  return names[static_cast<std::size_t>(line)];
}

std::string_view name(LineSource source) {
  static constexpr std::array<std::string_view, lineSources> names{
      "none",      "counters",   "walked",   "extents",   "open-files",
      "uncovered", "structures", "declared", "remainder", "cannot-itemise"};
  return names[static_cast<std::size_t>(source)];
}

void Statement::put(StatementLine line, Bytes bytes, LineSource source) {
  (*this)[line] = static_cast<SignedBytes>(bytes);
  sources[static_cast<std::size_t>(line)] = source;
}

SignedBytes Statement::sum() const {
  return std::accumulate(lines.begin(), lines.end(), SignedBytes{0});
}

void Statement::balance() {
  (*this)[StatementLine::unexplained] = 0;
  (*this)[StatementLine::unexplained] = static_cast<SignedBytes>(capacity) - sum();
}

bool Survey::leftUnanswered() const {
  return std::any_of(exceptions.begin(), exceptions.end(),
                     [](const auto& e) { return e.kind == SurveyException::Kind::unanswered; });
}

}  // namespace zt
