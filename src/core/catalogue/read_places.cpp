// SPDX-License-Identifier: GPL-3.0-or-later
#include <toml++/toml.h>
#include <algorithm>
#include <set>

#include "core/catalogue/catalogue.h"

namespace zt {

namespace {

tl::unexpected<Error> wrongAt(std::string_view file, unsigned line, const std::string& what) {
  return fail(Errc::badInput, "catalogue", {},
              std::string(file) + ", line " + std::to_string(line) + ": " + what);
}

/// Reads one table and remembers the first thing that is wrong with it.
class TableReader {
public:
  explicit TableReader(const toml::table& table) : table_(table), line_(table.source().begin.line) {}

  std::string text(std::string_view key) {
    const toml::node* node = take(key);
    if (node == nullptr) return {};
    const auto value = node->value<std::string>();
    if (!value || !node->is_string()) blame(*node, std::string(key) + " is no text");
    return value.value_or("");
  }
  bool flag(std::string_view key) {
    const toml::node* node = take(key);
    if (node == nullptr) return false;
    if (!node->is_boolean()) blame(*node, std::string(key) + " is neither true nor false");
    return node->value_or(false);
  }
  int number(std::string_view key) {
    const toml::node* node = take(key);
    if (node == nullptr) return 0;
    const auto value = node->is_integer() ? node->value_or(std::int64_t{-1}) : -1;
    if (value < 0 || value > 100'000) blame(*node, std::string(key) + " is no number of its kind");
    return static_cast<int>(std::clamp<std::int64_t>(value, 0, 100'000));
  }
  std::vector<std::string> texts(std::string_view key) {
    std::vector<std::string> all;
    const toml::node* node = take(key);
    if (node == nullptr) return all;
    const toml::array* list = node->as_array();
    if (list == nullptr) return blame(*node, std::string(key) + " is no list"), all;
    for (const toml::node& item : *list) {
      const auto value = item.value<std::string>();
      if (!value || !item.is_string() || value->empty())
        return blame(item, std::string(key) + " is no text"), all;
      all.push_back(*value);
    }
    return all;
  }
  /// A word out of those that `find` knows.
  template <class Find>
  auto word(std::string_view key, Find find, std::string_view otherwise) {
    const toml::node* node = table_.get(key);
    const std::string said = node == nullptr ? std::string(otherwise) : text(key);
    auto known = find(said);
    if (!known) blame(node == nullptr ? table_ : *node, std::string(key) + " is unknown: " + said);
    return known.value_or(*find(otherwise));
  }
  /// Every key must have been asked for.
  void close() {
    for (const auto& [key, node] : table_)
      if (!asked_.contains(std::string(key.str()))) blame(node, "unknown key: " + std::string(key.str()));
  }
  void blame(const toml::node& node, const std::string& what) {
    if (!what_.empty()) return;
    what_ = what;
    line_ = node.source().begin.line;
  }
  void blame(const std::string& what) { blame(table_, what); }
  const std::string& problem() const { return what_; }
  unsigned line() const { return line_; }

private:
  const toml::node* take(std::string_view key) {
    asked_.emplace(key);
    return table_.get(key);
  }
  const toml::table& table_;
  std::set<std::string, std::less<>> asked_;
  std::string what_;
  unsigned line_;
};

/// "in:a|b/c", "beside:x", "top:etc/y", "name:*.z"; "in:FILE=how it begins".
std::optional<Marker> markerOf(std::string_view text) {
  static constexpr std::pair<std::string_view, Marker::Where> words[] = {{"in:", Marker::Where::in},
                                                                         {"beside:", Marker::Where::beside},
                                                                         {"top:", Marker::Where::top},
                                                                         {"name:", Marker::Where::name}};
  for (const auto& [word, where] : words) {
    if (!text.starts_with(word)) continue;
    Marker marker{where, {}, {}};
    std::string_view rest = text.substr(word.size());
    if (const auto at = rest.find('='); at != std::string_view::npos) {
      marker.head = rest.substr(at + 1);
      rest = rest.substr(0, at);
    }
    while (!rest.empty()) {
      const auto bar = std::min(rest.find('|'), rest.size());
      if (bar == 0) return std::nullopt;
      marker.paths.emplace_back(rest.substr(0, bar));
      rest.remove_prefix(std::min(rest.size(), bar + 1));
    }
    if (marker.paths.empty()) return std::nullopt;
    return marker;
  }
  return std::nullopt;
}

std::vector<Marker> markers(TableReader& in, std::string_view key) {
  std::vector<Marker> all;
  for (const std::string& text : in.texts(key)) {
    auto marker = markerOf(text);
    if (!marker) return in.blame("no marker: " + text), all;
    all.push_back(std::move(*marker));
  }
  return all;
}

/// "4GB..14GB"
std::optional<UsualSize> usualSize(TableReader& in) {
  const std::string text = in.text("usual");
  if (text.empty()) return std::nullopt;
  const auto dots = text.find("..");
  if (dots == std::string::npos) return in.blame("usual is no span: " + text), std::nullopt;
  const auto amount = [](const std::string& t) { return t == "0" ? Result<Bytes>(0) : parseAmount(t, 0); };
  const auto least = amount(text.substr(0, dots));
  const auto most = amount(text.substr(dots + 2));
  if (!least || !most || *least > *most) return in.blame("usual is no span: " + text), std::nullopt;
  return UsualSize{*least, *most};
}

void checkPaths(TableReader& in, const Place& place) {
  if (place.id.empty()) in.blame("no id");
  if (place.paths.empty()) in.blame("no paths");
  for (const std::string& path : place.paths) {
    const auto parts = splitPath(path);
    if (parts.empty() || path.starts_with('/')) return in.blame("no path from the top: " + path);
    for (std::size_t i = 0; i < parts.size(); ++i) {
      if (parts[i] == ".." || parts[i] == ".") return in.blame("climbing path: " + path);
      if (i > 0 && parts[i].starts_with("{")) return in.blame("{user} stands first: " + path);
      const bool deep = parts[i].find("**") != std::string_view::npos;
      if (deep && (parts[i] != "**" || (i > 0 && i + 1 == parts.size())))
        return in.blame("** stands alone, and before something: " + path);
      if (deep && i > 0 && parts[0] == "**") return in.blame("** stands once: " + path);
    }
    if (parts[0].starts_with("{") && parts[0] != "{user}") return in.blame("unknown word: " + path);
    const bool bare = parts.size() == 1 && parts[0] == "**";
    if (bare && (place.onlyIf.empty() || place.onlyIf.front().where != Marker::Where::in))
      return in.blame("** alone needs something in it to be told by");
  }
}

KindList kinds(TableReader& in) {
  std::string wrong;
  auto list = KindList::read(in.texts("holds"), wrong);
  if (!list) in.blame("holds has no such pattern: " + wrong);
  return list ? std::move(*list) : KindList{};
}

Place readPlace(TableReader& in) {
  Place p;
  p.id = in.text("id");
  p.paths = in.texts("paths");
  p.standing = in.word("standing", standingNamed, "unjudged");
  p.regret = in.word("regret", regretNamed, "personal-gone");
  p.kind = in.text("kind");
  p.what = in.text("what");
  p.maker = in.text("maker");
  p.lost = in.text("lost");
  p.back = in.text("back");
  p.cost = in.text("cost");
  p.note = in.text("note");
  p.go = in.word("go", letGoNamed, "never");
  p.command = in.text("command");
  p.words = in.text("words");
  p.ageDays = in.number("age");
  p.newestStay = in.number("newest");
  p.series = in.text("series");
  if (!p.series.empty() && p.series != "name" && p.series != "device")
    in.blame("series is unknown: " + p.series);
  p.needs = in.texts("needs");
  for (const std::string& need : p.needs)
    if (need != "idle" && need != "live" && need != "off" && need != "clean" && need != "restart")
      in.blame("unknown need: " + need);
  p.holds = kinds(in);
  p.onlyIf = markers(in, "if");
  p.unless = markers(in, "unless");
  p.whole = in.flag("whole");
  p.anyDrive = in.flag("any_drive");
  p.filesOnly = in.flag("files");
  p.foldersOnly = in.flag("folders");
  p.deep = in.flag("deep");
  p.closed = in.flag("closed");
  p.impersonal = in.flag("impersonal");
  p.linked = in.flag("linked");
  p.usual = usualSize(in);
  p.lasts = in.word("lasts", lastsNamed, "unsaid");
  checkPaths(in, p);
  if (p.go == LetGo::owner && p.command.empty()) in.blame("its owner's command is missing");
  if (p.go == LetGo::system && p.words.empty()) in.blame("the words for its own system are missing");
  return p;
}

}  // namespace

Result<std::vector<Place>> readPlaces(const Catalogue::Text& text, std::vector<std::string>* families) {
  toml::table table;
  try {
    table = toml::parse(text.toml);
  } catch (const toml::parse_error& e) {
    return wrongAt(text.name, e.source().begin.line, std::string(e.description()));
  }
  std::vector<Place> places;
  if (families != nullptr && table.empty()) return places;  // a user's file that says nothing yet
  const toml::array* list = table["place"].as_array();
  if (list == nullptr || table.size() != 1) return wrongAt(text.name, 1, "there is more or less than places");
  std::set<std::string> ids;
  for (const toml::node& item : *list) {
    const toml::table* one = item.as_table();
    if (one == nullptr) return wrongAt(text.name, item.source().begin.line, "no place");
    TableReader in(*one);
    Place place = readPlace(in);
    place.line = item.source().begin.line;
    if (families != nullptr) {
      place.own = true;
      // What a file says is shown to people: no letters that a terminal obeys.
      for (std::string* said : {&place.what, &place.maker, &place.lost, &place.back, &place.cost, &place.note,
                                &place.command, &place.words})
        *said = escapePath(*said);
      families->push_back(in.text("family"));
      const auto& said = families->back();
      if (said != "linux" && said != "nt" && said != "mac" && said != "any")
        in.blame("family is unknown: " + said);
    }
    if (!ids.insert(place.id).second) in.blame("two places are called " + place.id);
    in.close();
    if (!in.problem().empty()) return wrongAt(text.name, in.line(), in.problem());
    places.push_back(std::move(place));
  }
  return places;
}

}  // namespace zt
