// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/query/answer.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <thread>

#include "core/base/apart.h"

namespace zt {

namespace {

char lowerText(char c) {
  return static_cast<char>(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c);
}

/// Letters of ASCII in lower case, eight bytes at a time: in each, adding lets the top bit say whether it is
/// beyond 'Z' or from 'A' on.
void lowerText(std::string_view text, char* out) {
  constexpr std::uint64_t ones = 0x0101010101010101;
  std::size_t i = 0;
  for (; i + 8 <= text.size(); i += 8) {
    std::uint64_t word = 0;
    std::memcpy(&word, text.data() + i, 8);
    const std::uint64_t low = word & (0x7F * ones);
    const std::uint64_t upper = (low + ones * (0x80 - 'A')) & ~(low + ones * (0x7F - 'Z')) & ~word;
    word |= (upper & (0x80 * ones)) >> 2;
    std::memcpy(out + i, &word, 8);
  }
  for (; i < text.size(); ++i) out[i] = lowerText(text[i]);
}

std::string lowerText(std::string_view text) {
  std::string out(text.size(), '\0');
  lowerText(text, out.data());
  return out;
}

/// Whether a pattern with * and ? stands for the whole name. ? is one character: the bytes that continue one
/// in UTF-8 belong to it.
bool globFits(std::string_view pattern, std::string_view name) {
  const auto next = [&](std::size_t at) {
    do ++at;
    while (at < name.size() && (static_cast<unsigned char>(name[at]) & 0xC0u) == 0x80u);
    return at;
  };
  std::size_t p = 0;
  std::size_t n = 0;
  std::size_t star = std::string_view::npos;  // the last * seen, and what of the name it has taken
  std::size_t taken = 0;
  while (n < name.size()) {
    if (p < pattern.size() && pattern[p] == '*') {
      star = p++;
      taken = n;
    } else if (p < pattern.size() && pattern[p] == '?') {
      ++p;
      n = next(n);
    } else if (p < pattern.size() && pattern[p] == name[n]) {
      ++p;
      ++n;
    } else if (star != std::string_view::npos) {
      p = star + 1;
      n = taken = next(taken);
    } else {
      return false;
    }
  }
  return pattern.find_first_not_of('*', p) == std::string_view::npos;
}

/// Whether a name, in lower case, holds a word; a word with wildcards must be the whole name.
bool wordFits(std::string_view name, const std::string& word, bool wild) {
  return wild ? globFits(word, name) : name.find(word) != std::string_view::npos;
}

using Sort = Condition::Sort;

/// A question made ready for a million entries: one list for each sort of condition.
class Matcher {
public:
  Matcher(const FindContext& context, const Question& question) : c_(context), q_(question) {
    for (const Condition& c : q_.conditions) prepare(c);
  }

  bool fits(NodeId id) const {
    const SurveyTree& t = c_.tree;
    const bool folder = t.isFolder(id);
    if (files_ && *files_ == folder) return false;
    if (larger_ > 0 || smaller_ != noLimit) {
      const Bytes bytes = t.weight(id);
      if (bytes < larger_ || bytes >= smaller_) return false;
    }
    if (older_ > 0 || newer_ != INT64_MAX) {
      const TimeNs age = ageOf(folder ? t.totals(id).newest : t.modified(id));
      if (age < older_ || age >= newer_) return false;
    }
    if (!owners_.takes(t.owner(id)) || !standings_.takes(c_.standing[id])) return false;
    if (!kinds_.empty() && !kinds_.takes(folder ? noKind : static_cast<int>(c_.kind[id]))) return false;
    if (q_.field && !inField(id)) return false;
    return inFits(id) && nameFits(t.name(id));
  }

  TimeNs ageOf(TimeNs then) const {
    TimeNs age = 0;
    if (__builtin_sub_overflow(c_.options.now, then, &age)) return then < 0 ? INT64_MAX : 0;
    return age;
  }

private:
  static constexpr Bytes noLimit = ~Bytes{0};
  static constexpr int noKind = -1;

  /// Values of which one must be there, and values of which none may.
  template <class T>
  struct OneOf {
    std::vector<T> wanted;
    std::vector<T> barred;
    bool empty() const { return wanted.empty() && barred.empty(); }
    bool takes(T value) const {
      const auto among = [&](const auto& list) {
        return std::find(list.begin(), list.end(), value) != list.end();
      };
      return (wanted.empty() || among(wanted)) && (barred.empty() || !among(barred));
    }
    void add(T value, bool negated) { (negated ? barred : wanted).push_back(value); }
  };
  struct Word {
    std::string text;
    bool wild = false;
    bool negated = false;
  };

  void prepare(const Condition& c) {
    const bool over = (c.sort == Sort::over) != c.negated;
    const bool older = (c.sort == Sort::older) != c.negated;
    switch (c.sort) {
      case Sort::over:
      case Sort::under:
        if (over)
          larger_ = std::max(larger_, c.bytes + (c.negated ? 0 : 1));
        else
          smaller_ = std::min(smaller_, c.bytes + (c.negated ? 1 : 0));
        break;
      case Sort::older:
      case Sort::newer:
        if (older)
          older_ = std::max(older_, TimeNs{c.days} * nsPerDay);
        else
          newer_ = std::min(newer_, TimeNs{c.days} * nsPerDay);
        break;
      case Sort::kind:
        for (int i = 0; i < fileKinds; ++i)
          if (name(static_cast<FileKind>(i)) == c.text) kinds_.add(i, c.negated);
        break;
      case Sort::standing:
        standings_.add(standingNamed(c.text).value_or(Standing::unjudged), c.negated);
        break;
      case Sort::owner:
        owners_.add(c_.options.owners.number(c.text).value_or(~0u), c.negated);
        break;
      case Sort::in:
        folders_.add(c_.tree.find(c.text == "/" ? "" : c.text).value_or(noNode), c.negated);
        break;
      case Sort::files:
      case Sort::folders:
        files_ = (c.sort == Sort::files) != c.negated;
        break;
      case Sort::name:
        words_.push_back(
            {lowerText(c.text), !c.literal && c.text.find_first_of("*?") != std::string::npos, c.negated});
        break;
      case Sort::findKind:
        break;  // an entry is no find: it does not count
    }
  }

  bool inField(NodeId id) const {
    if (c_.tree.kind(id) != EntryKind::file) return false;
    const AgeBand age = ageBand(c_.tree.modified(id), c_.survey.finished);
    const int size = sizeBand(c_.tree.occupied(id));
    return age >= q_.field->youngest && age <= q_.field->oldest && size >= q_.field->smallest &&
           size <= q_.field->largest;
  }

  bool inFits(NodeId id) const {
    const auto within = [&](NodeId folder) {
      return folder != noNode && id != folder && c_.gain.beneath(id, folder);
    };
    const auto& in = folders_;
    return (in.wanted.empty() || std::any_of(in.wanted.begin(), in.wanted.end(), within)) &&
           std::none_of(in.barred.begin(), in.barred.end(), within);
  }

  bool nameFits(std::string_view name) const {
    if (words_.empty()) return true;
    std::array<char, 256> plain;
    const std::size_t size = std::min(name.size(), plain.size());
    lowerText(name.substr(0, size), plain.data());
    for (const Word& word : words_)
      if (wordFits({plain.data(), size}, word.text, word.wild) == word.negated) return false;
    return true;
  }

  const FindContext& c_;
  const Question& q_;
  Bytes larger_ = 0;  ///< at least so much
  Bytes smaller_ = noLimit;
  TimeNs older_ = 0;
  TimeNs newer_ = INT64_MAX;
  std::optional<bool> files_;
  OneOf<std::uint32_t> owners_;
  OneOf<int> kinds_;
  OneOf<Standing> standings_;
  OneOf<NodeId> folders_;
  std::vector<Word> words_;
};

}  // namespace

QuestionWords questionWords(const FindContext& context, std::vector<std::string> findKinds) {
  const auto folder = [&context](const PathBytes& said) -> std::optional<PathBytes> {
    const auto plain = withoutDots(said);
    if (!plain) return std::nullopt;
    const PathBytes& root = context.survey.root;
    std::vector<PathBytes> meant{*plain};
    if (said.starts_with('/') && "/" + *plain == root) meant.emplace_back();
    if (said.starts_with('/') && beneath("/" + *plain, root))
      meant.push_back(("/" + *plain).substr(root.size() + 1));
    for (const PathBytes& path : meant)
      if (const auto node = context.tree.find(path); node && context.tree.isFolder(*node)) return path;
    return std::nullopt;
  };
  return {context.options.owners, std::move(findKinds), folder};
}

FindMatcher::FindMatcher(const FindContext& context, Question question)
    : context_(context), question_(std::move(question)) {}

bool FindMatcher::holds(const Find& find, const Condition& c) const {
  const auto anyItem = [&](auto fits) { return std::any_of(find.items.begin(), find.items.end(), fits); };
  switch (c.sort) {
    case Sort::over:
      return find.gain.atMost > c.bytes;
    case Sort::under:
      return find.gain.atMost < c.bytes;
    case Sort::older:
      return context_.options.now - find.newest >= TimeNs{c.days} * nsPerDay;
    case Sort::newer:
      return context_.options.now - find.newest < TimeNs{c.days} * nsPerDay;
    case Sort::findKind:
      return isOfKind(find, c.text);
    case Sort::standing:
      return find.standing == standingNamed(c.text);
    case Sort::owner:
      return find.owner == context_.options.owners.number(c.text);
    case Sort::in:
      return anyItem([&](const Subject& s) { return beneath(s.path, c.text == "/" ? "" : c.text); });
    case Sort::files:
      return anyItem([](const Subject& s) { return s.identity.kind == EntryKind::file; });
    case Sort::folders:
      return anyItem([](const Subject& s) { return s.identity.kind == EntryKind::folder; });
    case Sort::kind:
      return anyItem([&](const Subject& s) {
        return s.node != noNode && s.identity.kind == EntryKind::file &&
               name(context_.kind[s.node]) == c.text;
      });
    case Sort::name:
      break;
  }
  const std::string word = lowerText(c.text);
  const bool wild = !c.literal && word.find_first_of("*?") != std::string::npos;
  if (!wild && lowerText(find.place).find(word) != std::string::npos) return true;
  return anyItem([&](const Subject& s) {
    return wordFits(lowerText(wild ? baseName(s.path) : std::string_view(s.path)), word, wild);
  });
}

bool FindMatcher::fits(const Find& find) const {
  const auto alternative = [](Sort s) {
    return s == Sort::kind || s == Sort::findKind || s == Sort::standing || s == Sort::owner || s == Sort::in;
  };
  for (const Condition& c : question_.conditions) {
    if (c.negated ? holds(find, c) : !alternative(c.sort) && !holds(find, c)) return false;
    if (c.negated || !alternative(c.sort)) continue;
    const bool one =
        std::any_of(question_.conditions.begin(), question_.conditions.end(),
                    [&](const Condition& d) { return d.sort == c.sort && !d.negated && holds(find, d); });
    if (!one) return false;
  }
  return true;
}

std::uint64_t columnValue(const FindContext& c, NodeId id, ListColumn column) {
  const SurveyTree& t = c.tree;
  const bool folder = t.isFolder(id);
  switch (column) {
    case ListColumn::name:
      return 0;
    case ListColumn::occupied:
      return t.weight(id);
    case ListColumn::length:
      return folder ? t.totals(id).length : t.length(id);
    case ListColumn::exclusive:
      return folder ? t.totals(id).exclusive : t.isLinked(id) ? 0 : t.occupied(id);
    case ListColumn::files:
      return folder ? t.totals(id).files : 1;
    case ListColumn::newest:  // shifted, so that times before 1970 stand before those after
      return static_cast<std::uint64_t>(folder ? t.totals(id).newest : t.modified(id)) ^ (1ull << 63);
    case ListColumn::kind:
      return static_cast<std::uint64_t>(c.kind[id]);
    case ListColumn::owner:
      return t.owner(id);
  }
  return 0;
}

std::vector<NodeId> answer(const FindContext& c, const Question& question, const std::stop_token& stop) {
  const Matcher matcher(c, question);
  const auto search = [&](NodeId from, NodeId to, std::vector<NodeId>& list) {
    list.reserve(from == 1 ? c.tree.size() : to - from);  // room that stays unused takes no memory
    for (NodeId id = from; id < to; ++id) {
      if (id % 65536 == 0 && stop.stop_requested()) return;
      if (!c.tree.isGone(id) && matcher.fits(id)) list.push_back(id);
    }
  };
  const NodeId size = c.tree.size();
  constexpr NodeId worthAThread = 100'000;
  const unsigned threads = std::clamp(size / worthAThread, 1u, worthwhileThreads());
  std::vector<std::vector<NodeId>> parts(threads);
  const auto start = [&](unsigned part) {
    return 1 + static_cast<NodeId>(std::uint64_t{size - 1} * part / threads);
  };
  fanOut(threads, [&](unsigned part) { search(start(part), start(part + 1), parts[part]); });
  for (unsigned part = 1; part < threads; ++part)
    parts[0].insert(parts[0].end(), parts[part].begin(), parts[part].end());
  return std::move(parts[0]);
}

namespace {

/// Puts the first `rows` at the front of the list, those in order. `make` gives an entry what it is ordered
/// by.
template <class Make, class Before>
void sortBy(std::vector<NodeId>& list, std::size_t rows, Make make, Before before) {
  using Item = decltype(make(NodeId{}));
  std::vector<Item> items;
  items.reserve(list.size());
  for (const NodeId id : list) items.push_back(make(id));
  const auto middle = items.begin() + static_cast<std::ptrdiff_t>(rows);
  if (rows < items.size()) std::nth_element(items.begin(), middle, items.end(), before);
  std::sort(items.begin(), middle, before);
  std::transform(items.begin(), items.end(), list.begin(), [](const Item& i) { return i.id; });
}

/// The same for a few out of many: most of the list is thrown out after one look, and nothing of its size is
/// set aside.
template <class Make, class Before>
void sortFew(std::vector<NodeId>& list, std::size_t rows, Make make, Before before) {
  struct Placed {
    decltype(make(NodeId{})) item;
    std::size_t place;
  };
  const auto less = [&](const Placed& a, const Placed& b) { return before(a.item, b.item); };
  std::vector<Placed> best;  // a heap, the last of them on top
  best.reserve(rows + 1);
  for (std::size_t place = 0; place < list.size(); ++place) {
    const Placed here{make(list[place]), place};
    if (best.size() == rows && !less(here, best.front())) continue;
    best.push_back(here);
    std::push_heap(best.begin(), best.end(), less);
    if (best.size() <= rows) continue;
    std::pop_heap(best.begin(), best.end(), less);
    best.pop_back();
  }
  std::sort_heap(best.begin(), best.end(), less);
  // Whoever stands at the front moves to where one of the best was taken from.
  std::vector<bool> taken(rows, false);
  for (const Placed& b : best)
    if (b.place < rows) taken[b.place] = true;
  std::size_t next = 0;
  for (const Placed& b : best) {
    if (b.place < rows) continue;
    while (taken[next]) ++next;
    list[b.place] = list[next++];
  }
  for (std::size_t i = 0; i < best.size(); ++i) list[i] = best[i].item.id;
}

template <class Make, class Before>
void sortSome(std::vector<NodeId>& list, std::size_t rows, Make make, Before before) {
  rows = std::min(rows, list.size());
  if (rows == 0) return;
  if (rows < list.size() / 16) return sortFew(list, rows, make, before);
  sortBy(list, rows, make, before);
}

}  // namespace

void sortList(const FindContext& c, std::vector<NodeId>& list, ListColumn column, bool descending,
              std::size_t rows) {
  struct Named {
    std::string_view name;
    NodeId id;
  };
  struct Valued {
    std::uint64_t value;
    NodeId id;
  };
  if (column == ListColumn::name)
    return sortSome(
        list, rows,
        [&](NodeId id) {
          return Named{c.tree.name(id), id};
        },
        [&](const Named& a, const Named& b) {
          const int order = a.name.compare(b.name);
          return order != 0 ? (order < 0) != descending : a.id < b.id;
        });
  sortSome(
      list, rows,
      [&](NodeId id) {
        return Valued{columnValue(c, id, column), id};
      },
      [&](const Valued& a, const Valued& b) {
        return a.value != b.value ? (a.value < b.value) != descending : a.id < b.id;
      });
}

}  // namespace zt
