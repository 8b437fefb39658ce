// SPDX-License-Identifier: GPL-3.0-or-later
// How a question was understood.
#include <algorithm>
#include <iterator>
#include <sstream>

#include "words/words.h"

namespace zt {

using Sort = Condition::Sort;

namespace {
std::vector<std::string> wordsOf(const std::string& text) {
  std::istringstream in(text);
  return {std::istream_iterator<std::string>(in), {}};
}
}  // namespace

std::string DriveWords::condition(const Condition& c) const {
  const auto days = [&] {
    return c.days % 365 == 0 ? counted(static_cast<std::uint64_t>(c.days / 365), "1 year", "%1 years")
                             : counted(static_cast<std::uint64_t>(c.days), "1 day", "%1 days");
  };
  const auto either = [&](const char* plain, const char* negated, std::initializer_list<std::string> values) {
    return t(c.negated ? negated : plain, values);
  };
  switch (c.sort) {
    case Sort::over:
      return either("over %1", "not over %1", {bytes(c.bytes)});
    case Sort::under:
      return either("under %1", "not under %1", {bytes(c.bytes)});
    case Sort::older:
      return either("not modified for %1", "modified within %1", {days()});
    case Sort::newer:
      return either("modified within %1", "not modified for %1", {days()});
    case Sort::kind:
      return either("%1", "not %1", {c.text});
    case Sort::findKind:
      return either("%1", "not %1", {findKind(c.text)});
    case Sort::standing:
      return either("standing: %1", "standing: not %1",
                    {standing(standingNamed(c.text).value_or(Standing::unjudged))});
    case Sort::owner:
      return either("of %1", "not of %1", {c.text});
    case Sort::in:
      return either("in %1", "not in %1", {path(c.text)});
    case Sort::files:
      return either("files only", "no files", {});
    case Sort::folders:
      return either("folders only", "no folders", {});
    case Sort::name:
      return either("“%1” in the name", "no “%1” in the name", {escapePath(c.text)});
  }
  return {};
}

std::string DriveWords::understood(const Question& question) const {
  std::string text;
  const auto alternative = [](Sort s) {
    return s == Sort::kind || s == Sort::findKind || s == Sort::standing || s == Sort::owner || s == Sort::in;
  };
  for (std::size_t i = 0; i < question.conditions.size(); ++i) {
    const Condition& c = question.conditions[i];
    bool first = true;  // of its sort: the others follow it with "or"
    for (std::size_t k = 0; k < i; ++k)
      first = first && !(alternative(c.sort) && !c.negated && question.conditions[k].sort == c.sort &&
                         !question.conditions[k].negated);
    if (!first) continue;
    if (!text.empty()) text += ", ";
    text += condition(c);
    for (std::size_t k = i + 1; alternative(c.sort) && !c.negated && k < question.conditions.size(); ++k)
      if (question.conditions[k].sort == c.sort && !question.conditions[k].negated)
        text += t(" or ") + condition(question.conditions[k]);
  }
  return text;
}

std::string DriveWords::notUnderstood(const Error& error) const {
  if (!error.path.empty())
    return t("nothing can be both: %1, and %2", {escapePath(error.path), escapePath(error.detail)});
  return error.sysErrno > 0 ? t("not understood, from letter %1 on: %2",
                                {std::to_string(error.sysErrno), escapePath(error.detail)})
                            : t("not understood: %1", {escapePath(error.detail)});
}

std::vector<std::pair<std::string, std::string>> DriveWords::asked(
    const std::vector<std::string>& findKinds) const {
  std::vector<std::pair<std::string, std::string>> all;
  const auto add = [&](const std::string& theirs, std::string ours) {
    if (const std::string small = lowered(theirs); small != ours) all.emplace_back(small, std::move(ours));
  };
  // In one text, so that each stands beside the others in a catalogue.
  const char* leading = "over under older newer of in files folders not d w m y";
  const auto ours = wordsOf(leading), theirs = wordsOf(t(leading));
  for (std::size_t i = 0; i < std::min(ours.size(), theirs.size()); ++i) add(theirs[i], ours[i]);
  for (int i = 0; i < fileKinds; ++i)
    add(fileKind(static_cast<FileKind>(i)), std::string(name(static_cast<FileKind>(i))));
  for (int i = 0; i < standings; ++i) {
    const auto standing = static_cast<Standing>(i);
    add(this->standing(standing),
        standing == Standing::ownersCall ? "owner's call" : std::string(name(standing)));
  }
  for (const std::string& kind : findKinds) add(findKind(kind), kind);
  return all;
}

}  // namespace zt
