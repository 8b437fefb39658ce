// SPDX-License-Identifier: GPL-3.0-or-later
// The words of ours, explained: the manual's own list and chapters, which are compiled in.
#include <algorithm>

#include "words/words.h"

namespace zt {

namespace embedded {
extern const char* const manual;
}

namespace {

struct Entry {
  std::string word;
  std::vector<std::string> meaning;  ///< by paragraphs
};

/// Without what only marks it up: emphasis, and where links lead.
std::string plain(std::string_view text) {
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (c == ']' && text.substr(i).starts_with("]("))
      i = std::min(text.find(')', i), text.size() - 1);
    else if (c != '*' && c != '`' && c != '[' && c != ']')
      out += c;
  }
  return out;
}

/// Lines "- **word**: meaning" are words; what stands below "## Title" until the next is a chapter.
std::vector<Entry> readManual() {
  std::vector<Entry> words, chapters;
  std::string_view rest = embedded::manual;
  while (!rest.empty()) {
    const std::size_t end = rest.find('\n');
    const std::string_view line = rest.substr(0, end);
    rest.remove_prefix(end == std::string_view::npos ? rest.size() : end + 1);
    constexpr std::string_view bullet = "- **", then = "**: ", chapter = "## ";
    const std::size_t colon = line.find(then);
    if (line.starts_with(bullet) && colon != std::string_view::npos)
      words.push_back({std::string(line.substr(bullet.size(), colon - bullet.size())),
                       {std::string(line.substr(colon + then.size()))}});
    else if (line.starts_with(chapter))
      chapters.push_back({std::string(line.substr(chapter.size())), {}});
    else if (!chapters.empty() && !line.empty() && !line.starts_with("|--"))
      chapters.back().meaning.push_back(plain(line));
  }
  // The last chapter is the list of words itself.
  if (!chapters.empty()) chapters.pop_back();
  words.insert(words.end(), chapters.begin(), chapters.end());
  return words;
}

const std::vector<Entry>& glossary() {
  static const std::vector<Entry> all = readManual();
  return all;
}

bool same(std::string_view a, std::string_view b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                    [](unsigned char x, unsigned char y) { return std::tolower(x) == std::tolower(y); });
}

}  // namespace

std::string DriveWords::explain(std::string_view word) const {
  std::string text;
  for (const Entry& entry : glossary())
    if (same(entry.word, word) || t(entry.word.c_str()) == word)
      for (const std::string& paragraph : entry.meaning)
        text += (text.empty() ? "" : "\n\n") + t(paragraph.c_str());
  return text;
}

std::string DriveWords::theirWord(std::string_view word) const {
  for (const Entry& entry : glossary())
    if (same(entry.word, word)) return t(entry.word.c_str());
  return std::string(word);
}

std::vector<std::string> DriveWords::known() const {
  std::vector<std::string> words;
  for (const Entry& entry : glossary()) words.push_back(t(entry.word.c_str()));
  return words;
}

}  // namespace zt
