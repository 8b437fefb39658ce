// SPDX-License-Identifier: GPL-3.0-or-later
// places
#include <iostream>

#include "cli/verbs.h"
#include "core/job/own_places.h"
#include "core/os/paths.h"

namespace zt::cli {

namespace {

constexpr SystemFamily families[] = {SystemFamily::linuxFamily, SystemFamily::nt, SystemFamily::mac};

Json placeJson(const Place& p, SystemFamily family) {
  Json j{{"id", p.id},
         {"family", name(family)},
         {"paths", p.paths},
         {"standing", name(p.standing)},
         {"kind", p.kind},
         {"regret", name(p.regret)},
         {"what", p.what},
         {"maker", p.maker},
         {"lost", p.lost},
         {"comes_back", p.back},
         {"cost", p.cost},
         {"go", name(p.go)},
         {"words", p.words},
         {"command", p.command},
         {"age_days", p.ageDays},
         {"newest_stay", p.newestStay},
         {"needs", p.needs},
         {"whole", p.whole},
         {"lasts", name(p.lasts)},
         {"note", p.note},
         {"own", p.own}};
  return j;
}

std::string letGo(const Place& p) {
  std::string text;
  const auto add = [&](const std::string& piece) { text += (text.empty() ? "" : "; ") + piece; };
  if (p.go == LetGo::here) add(p.whole ? "here, as a whole" : "here");
  if (!p.command.empty()) add("by its owner: `" + p.command + "`");
  if (!p.words.empty()) add("on its own system: " + p.words);
  if (p.ageDays > 0) add("untouched for " + std::to_string(p.ageDays) + " days");
  if (p.newestStay > 0) add("the newest " + std::to_string(p.newestStay) + " stay");
  return text.empty() ? "never" : text;
}

/// What is between pipes in a table must not hold one.
std::string cell(std::string text) {
  for (std::size_t at = 0; (at = text.find('|', at)) != std::string::npos; at += 2) text.insert(at, "\\");
  return text;
}

void printMarkdown(std::ostream& out, const KnownPlaces& known) {
  out << "# Places\n\nWhat is known of the folders and files of three system families. Made from "
         "`data/catalogue` by\n"
         "`ztally places --markdown`; do not edit it here. `{user}` is every home, `**` any depth.\n";
  for (const SystemFamily family : families) {
    out << "\n## " << words().family(family)
        << "\n\n| place | where | standing | what is lost, and how it comes back "
        << "| how it is let go |\n|---|---|---|---|---|\n";
    for (const auto& p : known.of(family).places()) {
      out << "| " << cell(p->what) << (p->maker.empty() ? "" : " (" + cell(p->maker) + ")") << " | ";
      for (std::size_t i = 0; i < p->paths.size(); ++i)
        out << (i == 0 ? "" : " ") << '`' << cell(p->paths[i]) << '`';
      std::string price = p->lost;
      for (const std::string& piece : {p->back, p->cost})
        if (!piece.empty()) price += (price.empty() ? "" : ". ") + piece;
      out << " | " << words().standing(p->standing) << " | " << cell(price) << " | " << cell(letGo(*p))
          << " |\n";
    }
  }
}

}  // namespace

int places(Console& console, const Arguments& args) {
  const PathBytes file = args.path.empty() ? ownPlacesFile() : unescapePath(args.path);
  if (!args.path.empty()) {
    if (!canonicalPath(file)) return report(console, Error{Errc::notThere, "places", file, 0, {}});
  }
  const auto known = placesWithOwn(file);
  if (!known) return report(console, known.error());
  if (args.markdown) {
    printMarkdown(console.out, **known);
    return Exit::done;
  }
  Json all = Json::array();
  std::size_t own = 0;
  for (const SystemFamily family : families)
    for (const auto& p : (*known)->of(family).places()) {
      own += p->own;
      if (args.json)
        all.push_back(placeJson(*p, family));
      else
        console.out << name(family) << "  " << words().standing(p->standing) << "  " << p->paths.front()
                    << ": " << say(p->what.c_str()) << '\n';
    }
  if (args.json)
    print(console, {{"places", std::move(all)}, {"own_places", own}});
  else if (own > 0)
    console.out << say("%1 of them are your own", {words().number(own)}) << '\n';
  return Exit::done;
}

}  // namespace zt::cli
