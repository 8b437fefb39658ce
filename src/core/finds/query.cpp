// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/query.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cstring>
#include <thread>

namespace zt {

bool Query::empty() const {
  return words.empty() && larger == 0 && !smaller && olderThan == 0 && !newerThan && owners.empty() &&
         kinds.empty() && standings.empty() && !folders && !in && !field;
}

namespace {

constexpr std::string_view keys[] = {
    "size>", "size<", "age>", "age<", "kind:", "owner:", "standing:", "is:", "in:"};

char lower(char c) {
  return static_cast<char>(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c);
}

/// Letters of ASCII in lower case, eight bytes at a time: in each, adding lets the top bit say whether it is
/// beyond 'Z' or from 'A' on.
void lower(std::string_view text, char* out) {
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
  for (; i < text.size(); ++i) out[i] = lower(text[i]);
}

std::string lower(std::string_view text) {
  std::string out(text.size(), '\0');
  lower(text, out.data());
  return out;
}

std::vector<std::string> splitLine(std::string_view text) {
  std::vector<std::string> parts;
  std::string part;
  bool quoted = false;
  bool any = false;
  for (const char c : text) {
    if (c == '"') {
      quoted = !quoted;
      any = true;
    } else if (c == ' ' && !quoted) {
      if (any) parts.push_back(std::move(part));
      part.clear();
      any = false;
    } else {
      part += c;
      any = true;
    }
  }
  if (any) parts.push_back(std::move(part));
  return parts;
}

std::optional<TimeNs> parseAge(std::string_view text) {
  int number = 0;
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (problem != std::errc{} || number <= 0 || number > 100'000 || end + 1 != text.data() + text.size())
    return std::nullopt;
  const int days = *end == 'd' ? 1 : *end == 'w' ? 7 : *end == 'm' ? 30 : *end == 'y' ? 365 : 0;
  if (days == 0 || TimeNs{number} * days > 100'000) return std::nullopt;
  return TimeNs{number} * days * nsPerDay;
}

template <class Enum, int count>
bool addNamed(std::vector<Enum>& into, std::string_view text) {
  for (int i = 0; i < count; ++i)
    if (name(static_cast<Enum>(i)) == text) return into.push_back(static_cast<Enum>(i)), true;
  return false;
}

bool readPart(Query& q, std::string_view part, const OwnerNames& owners) {
  const auto key =
      std::find_if(std::begin(keys), std::end(keys), [&](auto k) { return part.starts_with(k); });
  if (key == std::end(keys)) {
    if (part.find_first_not_of('*') != std::string_view::npos) q.words.push_back(lower(part));
    return true;
  }
  const std::string_view value = part.substr(key->size());
  if (value.empty()) return false;
  if (key->starts_with("size")) {
    const auto bytes = parseAmount(value, 0);
    if (!bytes) return false;
    if (*key == "size>") return q.larger = *bytes, true;
    return q.smaller = *bytes, true;
  }
  if (key->starts_with("age")) {
    const auto age = parseAge(value);
    if (!age) return false;
    if (*key == "age>") return q.olderThan = *age, true;
    return q.newerThan = *age, true;
  }
  if (*key == "kind:") return addNamed<FileKind, fileKinds>(q.kinds, value);
  if (*key == "standing:") return addNamed<Standing, standings>(q.standings, value);
  if (*key == "in:") return q.in = unescapePath(value), true;
  if (*key == "is:") {
    if (value != "folder" && value != "file") return false;
    return q.folders = value == "folder", true;
  }
  const auto uid = owners.number(value);
  if (uid) q.owners.push_back(*uid);
  return uid.has_value();
}

}  // namespace

Result<Query> parseQuery(std::string_view text, const OwnerNames& owners) {
  Query q;
  if (text.size() > 4096) return fail(Errc::badInput, "filter", {}, "too long");
  for (const std::string& part : splitLine(text))
    if (!readPart(q, part, owners)) return fail(Errc::badInput, "filter", {}, part);
  return q;
}

std::vector<std::string> completeQuery(std::string_view text, const OwnerNames& owners) {
  const auto space = text.rfind(' ');
  const std::string before(space == std::string_view::npos ? "" : text.substr(0, space + 1));
  const std::string_view last = text.substr(before.size());
  std::vector<std::string> all;
  for (const auto key : keys) all.emplace_back(key);
  for (const char* size : {"100MB", "1GB", "10GB"}) all.push_back(std::string("size>") + size);
  for (const char* age : {"30d", "6m", "1y", "3y"})
    all.push_back(std::string("age>") + age), all.push_back(std::string("age<") + age);
  for (int i = 0; i < fileKinds; ++i) all.push_back("kind:" + std::string(name(static_cast<FileKind>(i))));
  for (int i = 0; i < standings; ++i)
    all.push_back("standing:" + std::string(name(static_cast<Standing>(i))));
  for (const auto& [number, name] : owners.all()) all.push_back("owner:" + name);
  all.insert(all.end(), {"is:folder", "is:file"});
  std::vector<std::string> fitting;
  for (const auto& word : all)
    if (!last.empty() && word.size() > last.size() && word.starts_with(last))
      fitting.push_back(before + word);
  return fitting;
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

namespace {

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

class Matcher {
public:
  Matcher(const FindContext& context, const Query& query) : c_(context), q_(query) {
    for (const auto& word : q_.words) wild_.push_back(word.find_first_of("*?") != std::string::npos);
    if (q_.in) in_ = c_.tree.find(*q_.in).value_or(noNode);
  }

  bool fits(NodeId id) const {
    const SurveyTree& t = c_.tree;
    const bool folder = t.isFolder(id);
    if (q_.folders && *q_.folders != folder) return false;
    if (q_.larger > 0 || q_.smaller) {
      const Bytes bytes = t.weight(id);
      if (bytes < q_.larger || (q_.smaller && bytes >= *q_.smaller)) return false;
    }
    if (q_.olderThan > 0 || q_.newerThan) {
      TimeNs age = 0;
      const TimeNs then = folder ? t.totals(id).newest : t.modified(id);
      if (__builtin_sub_overflow(c_.options.now, then, &age)) age = then < 0 ? INT64_MAX : 0;
      if (age < q_.olderThan || (q_.newerThan && age >= *q_.newerThan)) return false;
    }
    const auto among = [](const auto& list, auto value) {
      return list.empty() || std::find(list.begin(), list.end(), value) != list.end();
    };
    if (!among(q_.owners, t.owner(id)) || !among(q_.standings, c_.standing[id])) return false;
    if (!q_.kinds.empty() && (folder || !among(q_.kinds, c_.kind[id]))) return false;
    if (q_.field && !inField(id)) return false;
    if (q_.in && (in_ == noNode || id == in_ || !t.isBeneath(id, in_))) return false;
    return nameFits(t.name(id));
  }

private:
  bool inField(NodeId id) const {
    if (c_.tree.kind(id) != EntryKind::file) return false;
    const AgeBand age = ageBand(c_.tree.modified(id), c_.survey.finished);
    const int size = sizeBand(c_.tree.occupied(id));
    return age >= q_.field->youngest && age <= q_.field->oldest && size >= q_.field->smallest &&
           size <= q_.field->largest;
  }

  bool nameFits(std::string_view name) const {
    if (q_.words.empty()) return true;
    std::array<char, 256> plain;
    const std::size_t size = std::min(name.size(), plain.size());
    lower(name.substr(0, size), plain.data());
    for (std::size_t i = 0; i < q_.words.size(); ++i)
      if (!wordFits({plain.data(), size}, q_.words[i], wild_[i])) return false;
    return true;
  }

  const FindContext& c_;
  const Query& q_;
  std::vector<bool> wild_;
  NodeId in_ = noNode;
};

}  // namespace

std::vector<NodeId> answer(const FindContext& c, const Query& query, const std::stop_token& stop) {
  const Matcher matcher(c, query);
  const auto search = [&](NodeId from, NodeId to, std::vector<NodeId>& list) {
    list.reserve(from == 1 ? c.tree.size() : to - from);  // room that stays unused takes no memory
    for (NodeId id = from; id < to; ++id) {
      if (id % 65536 == 0 && stop.stop_requested()) return;
      if (!c.tree.isGone(id) && matcher.fits(id)) list.push_back(id);
    }
  };
  const NodeId size = c.tree.size();
  constexpr NodeId worthAThread = 100'000;
  const unsigned threads =
      std::clamp(std::min(std::thread::hardware_concurrency(), size / worthAThread), 1u, 8u);
  std::vector<std::vector<NodeId>> parts(threads);
  const auto start = [&](unsigned part) {
    return 1 + static_cast<NodeId>(std::uint64_t{size - 1} * part / threads);
  };
  {
    std::vector<std::jthread> others;
    for (unsigned part = 1; part < threads; ++part)
      others.emplace_back([&, part] { search(start(part), start(part + 1), parts[part]); });
    search(start(0), start(1), parts[0]);
  }
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
