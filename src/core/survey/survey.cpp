// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/survey.h"

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
  }
  return "unreadable";
}

std::string_view name(StatementLine line) {
  static constexpr std::array<std::string_view, statementLines> names{
      "free",           "reserved", "files",     "snapshots",  "open_deleted",
      "beneath_mounts", "overhead", "elsewhere", "unexplained"};
  return names[static_cast<std::size_t>(line)];
}

SignedBytes Statement::sum() const {
  return std::accumulate(lines.begin(), lines.end(), SignedBytes{0});
}

void Statement::balance() {
  (*this)[StatementLine::unexplained] = 0;
  (*this)[StatementLine::unexplained] = static_cast<SignedBytes>(capacity) - sum();
}

}  // namespace zt
