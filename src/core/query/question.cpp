// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/query/question.h"

#include <algorithm>
#include <charconv>

#include "core/catalogue/name_pattern.h"

namespace zt {

namespace {

using Sort = Condition::Sort;

/// A condition as it was written: its words, and whether all of it stood in quotes.
struct Piece {
  std::string text;
  std::size_t place = 0;  ///< of its first letter in the whole
  bool quoted = false;
  bool open = false;  ///< the closing quote is missing
};

/// Parts a text at commas that stand outside quotes. Within quotes a backslash takes the next letter as it
/// is.
std::vector<Piece> parts(std::string_view text) {
  std::vector<Piece> all;
  Piece piece;
  bool within = false;
  bool begun = false;
  const auto end = [&] {
    while (!within && !piece.text.empty() && piece.text.back() == ' ') piece.text.pop_back();
    piece.open = within;
    if (begun) all.push_back(std::move(piece));
    piece = {};
    begun = false;
  };
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (!begun && c == ' ') continue;
    if (c == ',' && !within) {
      end();
      continue;
    }
    if (!begun) piece.place = i, begun = true;
    if (c == '"') {
      within = !within;
      piece.quoted = true;
      piece.text += '"';
    } else if (c == '\\' && within && i + 1 < text.size()) {
      piece.text += c;
      piece.text += text[++i];
    } else {
      piece.text += c;
    }
  }
  end();
  return all;
}

/// The text of a value that may stand in quotes; nullopt for quotes in its middle or without an end.
std::optional<std::string> unquoted(std::string_view text, bool& literal) {
  literal = !text.empty() && text.front() == '"';
  if (!literal)
    return text.find('"') == std::string_view::npos ? std::optional(std::string(text)) : std::nullopt;
  std::string out;
  for (std::size_t i = 1; i < text.size(); ++i) {
    if (text[i] == '\\' && i + 1 < text.size())
      out += text[++i];
    else if (text[i] == '"')
      return i + 1 == text.size() ? std::optional(out) : std::nullopt;
    else
      out += text[i];
  }
  return std::nullopt;
}

std::string inQuotes(std::string_view text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    out += c;
  }
  return out + '"';
}

std::string daysText(int days) {
  if (days % 365 == 0) return std::to_string(days / 365) + " y";
  return std::to_string(days) + " d";
}

/// A standing in the words that people use for it.
std::string standingWord(Standing standing) {
  return standing == Standing::ownersCall ? "owner's call" : std::string(name(standing));
}

std::optional<Standing> standingOfWord(std::string_view word) {
  if (word == "owner's call") return Standing::ownersCall;
  return standingNamed(word);
}

bool isKind(std::string_view word) {
  for (int i = 0; i < fileKinds; ++i)
    if (name(static_cast<FileKind>(i)) == word) return true;
  return false;
}

/// Words that take a value after them.
struct Leading {
  std::string_view word;
  Sort sort;
};
constexpr Leading leading[] = {{"over ", Sort::over},   {"under ", Sort::under}, {"older ", Sort::older},
                               {"newer ", Sort::newer}, {"of ", Sort::owner},    {"in ", Sort::in}};

bool readValue(Condition& c, std::string_view value, const QuestionWords& words) {
  while (!value.empty() && value.front() == ' ') value.remove_prefix(1);
  if (value.empty()) return false;
  if (c.sort == Sort::over || c.sort == Sort::under) {
    const auto bytes = parseAmount(value, 0);
    if (bytes) c.bytes = *bytes;
    return bytes.has_value();
  }
  if (c.sort == Sort::older || c.sort == Sort::newer) {
    const auto days = parseDays(value);
    if (days) c.days = *days;
    return days.has_value();
  }
  bool literal = false;
  const auto text = unquoted(value, literal);
  if (!text || text->empty()) return false;
  if (c.sort == Sort::owner && !words.owners.number(*text)) return false;
  c.text = c.sort == Sort::in ? unescapePath(*text) : *text;
  while (c.sort == Sort::in && c.text.size() > 1 && c.text.back() == '/') c.text.pop_back();
  if (c.sort != Sort::in || !words.folder) return true;
  const auto folder = words.folder(c.text);
  if (folder) c.text = *folder;
  return folder.has_value();
}

/// Whether nothing can be both.
bool contradict(const Condition& a, const Condition& b) {
  const auto pair = [&](Sort x, Sort y) { return a.sort == x && b.sort == y && !a.negated && !b.negated; };
  if (a.sort == b.sort && a.negated != b.negated && a.sort != Sort::over && a.sort != Sort::under &&
      a.sort != Sort::older && a.sort != Sort::newer)
    return a.text == b.text;
  if (a.sort == b.sort && a.negated != b.negated) return a.bytes == b.bytes && a.days == b.days;
  if (pair(Sort::over, Sort::under)) return a.bytes >= b.bytes;
  if (pair(Sort::older, Sort::newer)) return a.days >= b.days;
  const bool folders = pair(Sort::files, Sort::folders) || pair(Sort::kind, Sort::folders);
  return folders;
}

/// A condition that is one of our words; false if it is none.
bool readWord(Condition& c, const std::string& word, const QuestionWords& words) {
  if (word == "files" || word == "folders")
    return c.sort = word == "files" ? Sort::files : Sort::folders, true;
  c.text = word;
  if (std::find(words.findKinds.begin(), words.findKinds.end(), word) != words.findKinds.end())
    return c.sort = Sort::findKind, true;
  if (isKind(word)) return c.sort = Sort::kind, true;
  if (const auto standing = standingOfWord(word)) {
    c.text = name(*standing);
    return c.sort = Sort::standing, true;
  }
  return false;
}

bool readCondition(Condition& c, std::string_view text, const QuestionWords& words) {
  if (lowered(text.substr(0, 4)) == "not ") {
    c.negated = true;
    text.remove_prefix(4);
    while (!text.empty() && text.front() == ' ') text.remove_prefix(1);
  }
  for (const Leading& l : leading) {
    const auto bare = l.word.substr(0, l.word.size() - 1);
    const std::string begin = lowered(text.substr(0, l.word.size()));
    if (begin == bare) return false;
    if (begin == l.word) return c.sort = l.sort, readValue(c, text.substr(l.word.size()), words);
  }
  bool literal = false;
  const auto plain = unquoted(text, literal);
  if (!plain || plain->empty() || (!literal && lowered(*plain) == "not")) return false;
  if (!literal && readWord(c, lowered(*plain), words)) return true;
  c.sort = Sort::name;
  c.text = unescapePath(*plain);
  c.literal = literal;
  return true;
}

bool leads(std::string_view word) {
  return std::any_of(std::begin(leading), std::end(leading),
                     [&](const Leading& l) { return l.word.substr(0, l.word.size() - 1) == word; });
}

/// An age in our units, where it was written in theirs.
std::string ageInOurs(std::string_view age, const QuestionWords& words) {
  const auto unit = age.find_first_not_of("0123456789 ");
  if (unit == std::string_view::npos) return std::string(age);
  for (const auto& [their, our] : words.theirs)
    if (our.size() == 1 && lowered(age.substr(unit)) == their) return std::string(age.substr(0, unit)) + our;
  return std::string(age);
}

/// A condition in our words, where it was written in theirs.
std::string inOurs(std::string_view text, const QuestionWords& words) {
  std::string out;
  const auto begins = [&](const std::string& their) {
    return lowered(text.substr(0, their.size() + 1)) == their + " ";
  };
  for (const auto& [their, our] : words.theirs)
    if (our == "not" && out.empty() && begins(their)) out = "not ", text.remove_prefix(their.size() + 1);
  for (const auto& [their, our] : words.theirs) {
    if (our.size() > 1 && lowered(text) == their) return out + our;
    if (!leads(our) || !begins(their)) continue;
    const std::string_view value = text.substr(their.size() + 1);
    return out + our + " " +
           (our == "older" || our == "newer" ? ageInOurs(value, words) : std::string(value));
  }
  return out + std::string(text);
}

}  // namespace

Result<Question> parseQuestion(std::string_view text, const QuestionWords& words) {
  if (text.size() > 4096) return fail(Errc::badInput, "question", {}, "too long");
  Question question;
  for (const Piece& piece : parts(text)) {
    Condition c;
    if (piece.open || !readCondition(c, inOurs(piece.text, words), words)) {
      Error error{Errc::badInput, "question", {}, 0, piece.text};
      error.sysErrno = static_cast<int>(piece.place) + 1;
      return tl::unexpected(std::move(error));
    }
    const auto& before = question.conditions;
    const auto other = std::find_if(before.begin(), before.end(), [&](const Condition& earlier) {
      return contradict(earlier, c) || contradict(c, earlier);
    });
    if (other != before.end()) {
      Question one;
      one.conditions.push_back(*other);
      Error error{Errc::badInput, "question", questionText(one), 0, piece.text};
      error.sysErrno = static_cast<int>(piece.place) + 1;
      return tl::unexpected(std::move(error));
    }
    question.conditions.push_back(std::move(c));
  }
  return question;
}

namespace {

/// Whether a name stands as it is: it would not be read as something else.
bool plainName(const std::string& name) {
  const std::string text = lowered(name);
  const auto begins = [&](std::string_view word) {
    return text.starts_with(word) || text == word.substr(0, word.size() - 1);
  };
  if (text.empty() || text.front() == ' ' || text.back() == ' ' || text == "files" || text == "folders")
    return false;
  if (text.find_first_of("\",\\") != std::string::npos || begins("not ") || isKind(text)) return false;
  if (standingOfWord(text) || needsEscape(text)) return false;
  return std::none_of(std::begin(leading), std::end(leading),
                      [&](const Leading& l) { return begins(l.word); });
}

std::string valueText(const std::string& text) {
  const std::string shown = escapePath(text);
  const bool plain =
      shown.find_first_of("\",") == std::string::npos && shown.front() != ' ' && shown.back() != ' ';
  return plain ? shown : inQuotes(shown);
}

std::string amountText(Bytes bytes) {
  for (const auto& [unit, size] : {std::pair{" TB", Bytes{1'000'000'000'000}},
                                   {" GB", Bytes{1'000'000'000}},
                                   {" MB", Bytes{1'000'000}},
                                   {" kB", Bytes{1'000}}})
    if (bytes % size == 0) return std::to_string(bytes / size) + unit;
  return std::to_string(bytes);
}

std::string conditionText(const Condition& c) {
  switch (c.sort) {
    case Sort::over:
      return "over " + amountText(c.bytes);
    case Sort::under:
      return "under " + amountText(c.bytes);
    case Sort::older:
      return "older " + daysText(c.days);
    case Sort::newer:
      return "newer " + daysText(c.days);
    case Sort::owner:
      return "of " + valueText(c.text);
    case Sort::in:
      return "in " + valueText(c.text);
    case Sort::files:
      return "files";
    case Sort::folders:
      return "folders";
    case Sort::standing:
      return standingWord(standingNamed(c.text).value_or(Standing::unjudged));
    case Sort::kind:
    case Sort::findKind:
      return c.text;
    case Sort::name:
      break;
  }
  return c.literal || !plainName(c.text) ? inQuotes(escapePath(c.text)) : c.text;
}

}  // namespace

std::string questionText(const Question& question) {
  std::string text;
  for (const Condition& c : question.conditions) {
    if (!text.empty()) text += ", ";
    if (c.negated) text += "not ";
    text += conditionText(c);
  }
  return text;
}

std::optional<int> parseDays(std::string_view text) {
  int number = 0;
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (problem != std::errc{} || number <= 0 || number > 100'000) return std::nullopt;
  std::string_view unit(end, static_cast<std::size_t>(text.data() + text.size() - end));
  while (!unit.empty() && unit.front() == ' ') unit.remove_prefix(1);
  const std::string low = lowered(unit);
  unit = low;
  const int days = unit == "d" ? 1 : unit == "w" ? 7 : unit == "m" ? 30 : unit == "y" ? 365 : 0;
  if (days == 0 || std::int64_t{number} * days > 100'000) return std::nullopt;
  return number * days;
}

std::vector<std::string> completeQuestion(std::string_view text, const QuestionWords& words) {
  const auto pieces = parts(text);
  if (pieces.empty() || text.ends_with(',') || pieces.back().quoted) return {};
  const std::string before(text.substr(0, pieces.back().place));
  std::string last(text.substr(pieces.back().place));
  std::string negation;
  if (lowered(last.substr(0, 4)) == "not ") negation = "not ", last.erase(0, 4);
  last = lowered(last);
  std::vector<std::string> all;
  for (const char* amount : {"100 MB", "1 GB", "10 GB"})
    all.push_back(std::string("over ") + amount), all.push_back(std::string("under ") + amount);
  for (const char* age : {"30 d", "6 m", "1 y", "3 y"})
    all.push_back(std::string("older ") + age), all.push_back(std::string("newer ") + age);
  for (int i = 0; i < fileKinds; ++i) all.emplace_back(name(static_cast<FileKind>(i)));
  for (int i = 0; i < standings; ++i) all.push_back(standingWord(static_cast<Standing>(i)));
  all.insert(all.end(), words.findKinds.begin(), words.findKinds.end());
  for (const auto& [number, owner] : words.owners.all()) all.push_back("of " + owner);
  all.insert(all.end(), {"in ", "files", "folders", "not "});
  // Of theirs those that take nothing after them, and those that do up to where it begins.
  for (const auto& [their, our] : words.theirs)
    if (our.size() > 1) all.push_back(leads(our) || our == "not" ? their + " " : their);
  std::vector<std::string> fitting;
  for (const auto& word : all)
    if (!last.empty() && word.size() > last.size() && word.starts_with(last))
      fitting.push_back(before + negation + word);
  return fitting;
}

}  // namespace zt
