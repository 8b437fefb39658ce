// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/app.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <fstream>
#include <iostream>

#include "cli/describing.h"
#include "cli/verbs.h"

namespace zt::cli {

namespace {

using Verb = int (*)(Console&, const Arguments&);

/// The names of all values of an enumeration, for the parser to check against.
template <class Enum>
std::vector<std::string> namesOf(int count) {
  std::vector<std::string> names;
  names.reserve(static_cast<std::size_t>(count));
  for (int i = 0; i < count; ++i) names.emplace_back(name(static_cast<Enum>(i)));
  return names;
}

CLI::App* plainVerb(CLI::App& app, Arguments& a, const char* name, const char* text) {
  CLI::App* verb = app.add_subcommand(name, text);
  verb->add_flag("--json", a.json, "print one JSON document");
  return verb;
}

CLI::App* jobVerb(CLI::App& app, Arguments& a, const char* name, const char* text) {
  CLI::App* verb = plainVerb(app, a, name, text);
  verb->add_option("--job", a.job, "the job file (*.ztjob)")->required();
  return verb;
}

constexpr const char* questionHelp =
    "conditions separated by commas: over 1 GB, older 1 y, a kind (video), a standing (spent), of NAME, in "
    "PATH, "
    "files, folders, not before any of them; anything else is part of a name";

void addMeasuring(CLI::App& app, Arguments& a) {
  CLI::App* d =
      plainVerb(app, a, "drives",
                "attached drives with role, kind, free, reserved, inodes, headroom, last visit, holds");
  CLI::Option* of = d->add_option("--drive", a.drive, "a place on the drive of which something is said");
  CLI::Option* same =
      d->add_flag("--same", a.same, "it is the drive of the earlier visits, on other hardware")->needs(of);
  d->add_flag("--another", a.another, "it is a copy of that drive, and another one")
      ->needs(of)
      ->excludes(same);
  d->add_flag("--mend", a.mend, "the register of drives is damaged: take over what can be read of it");
  d->add_option("--kind", a.driveKind, "what the drive is, whatever its hardware says")
      ->check(CLI::IsMember(namesOf<DriveKind>(driveKinds)))
      ->needs(of);
  d->add_option("--size", a.driveSize, "as large a drive as this")
      ->check(CLI::IsMember(namesOf<SizeClass>(sizeClasses)))
      ->needs(of);
  CLI::App* m = plainVerb(app, a, "measure", "measures a drive, a folder or one file; writes nothing to it");
  m->add_option("PATH", a.path, "the drive's top, something on it, or a stand-in's folder")->required();
  m->add_option("--job", a.job, "keep the job in this file; an existing job is measured again");
  m->add_option("--threads", a.threads, "walk with so many threads")->check(CLI::Range(1, 64));
  m->add_flag("--stand-in", a.standIn, "PATH is a stand-in drive");
  m->add_flag("--everything", a.everything, "ask for rights once, before the walk, to read what is closed");
  m->add_option("--folder", a.folder, "measure only this folder of an existing job again");
  m->add_flag("--job-on-drive", a.jobOnDrive, "the job file may lie on the measured drive");
  m->add_option("--target", a.targets,
                "free bytes to reach: [LABEL=]AMOUNT[,while-it-runs]; 20GB, 18GiB, 15%");
  CLI::App* t = jobVerb(app, a, "tree", "folders by size");
  t->add_option("PATH", a.path, "the folder to begin with, from the measured root");
  t->add_option("--top", a.top, "so many entries a folder")->capture_default_str();
  t->add_option("--depth", a.depth, "so many levels down")->capture_default_str();
}

void addFinding(CLI::App& app, Arguments& a) {
  CLI::App* f = jobVerb(app, a, "finds", "finds, biggest first");
  f->add_option("QUESTION", a.question, questionHelp);
  f->add_option("--kind", a.kinds, "large, old, dormant, trash, picked");
  f->add_option("--top", a.top, "so many at most (0: all)");
  CLI::App* c =
      jobVerb(app, a, "match", "compares contents: equal files, and files of one name that are not");
  c->add_option("QUESTION", a.question, questionHelp);
  c->add_option("--least", a.least, "leave shorter files out; usually by what is short");
  c->add_option("--keep-by", a.keepBy,
                "which of equal files stays, from now on: not-dated, not-arrived, at-home, older, "
                "shorter-path in the order "
                "wanted, with commas; or usual");
  c->add_option("--top", a.top, "print so many groups at most (0: all)");
  CLI::App* p = app.add_subcommand("points", "snapshots: what each holds, what several hold together");
  p->fallthrough();
  p->add_option("--job", a.job, "the job file (*.ztjob)")->required();
  p->add_flag("--json", a.json, "print one JSON document");
  p->require_subcommand(0, 1);
  for (const auto& [name, help] : {std::pair("sum", "what comes free if all of these go: numbers or paths"),
                                   std::pair("keep",
                                             "what comes free if only these stay: newest N, daily, weekly, "
                                             "monthly, younger Nd, share N%")}) {
    CLI::App* sub = p->add_subcommand(name, help);
    sub->fallthrough();
    sub->callback([&a, word = std::string(name)] { a.edit = word; });
    sub->add_option("WORDS", a.items, help)->required();
    sub->add_flag("--plan", a.toPlan, "put what would go on the plan");
  }
  CLI::App* m = app.add_subcommand("mark", "says what is kept, what may go, and what not now");
  m->fallthrough();
  m->add_option("--job", a.job, "the job file (*.ztjob)")->required();
  m->add_flag("--json", a.json, "print one JSON document");
  m->require_subcommand(1);
  auto said = namesOf<Mark>(markKinds);
  said.emplace_back("clear");
  for (const std::string& name : said) {
    CLI::App* sub = m->add_subcommand(name);
    sub->fallthrough();
    sub->callback([&a, name] { a.edit = name; });
    sub->add_option("ITEM", a.items, "ids of finds, or paths from the measured root")->required();
  }
}

void addExploring(CLI::App& app, Arguments& a) {
  CLI::App* l = jobVerb(app, a, "list", "files and folders that answer a question, sorted");
  l->add_option("QUESTION", a.question, questionHelp);
  l->add_option("--sort", a.sort, "name, occupied, length, exclusive, files, newest, kind, owner")
      ->check(CLI::IsMember({"name", "occupied", "length", "exclusive", "files", "newest", "kind", "owner"}));
  l->add_option("--top", a.top, "so many at most (0: all)");
  CLI::App* e = jobVerb(app, a, "export", "writes the survey for other programs");
  e->add_option("-o,--output", a.output, "*.jsonl.zst (everything) or *.csv (the entries)")->required();
  CLI::App* i = jobVerb(app, a, "import", "makes a job of an exported survey: to explore, not to reclaim by");
  i->add_option("FILE", a.path, "*.jsonl.zst or *.csv")->required();
}

void addVisits(CLI::App& app, Arguments& a) {
  CLI::App* c = plainVerb(app, a, "compare", "what changed between two surveys: jobs, or exported ones");
  c->add_option("BEFORE", a.path, "the earlier: *.ztjob, *.jsonl.zst or *.csv")->required();
  c->add_option("AFTER", a.other, "the later")->required();
  c->add_option("QUESTION", a.question, say("what of it came or changed since; %1", {say(questionHelp)}));
  c->add_option("--depth", a.depth, "so many levels down")->capture_default_str();
  c->add_option("--top", a.top, "so many entries a folder (0: all)")->capture_default_str();
  c->add_option("-o,--output", a.output, "write every changed folder and file to this *.csv");
  CLI::App* h =
      plainVerb(app, a, "history", "the visits to each drive, how its free space goes, and when it is full");
  CLI::Option* drive = h->add_option("DRIVE", a.drive, "its id, its name, or a place on it");
  h->add_flag("--forget", a.forget, "forget the visits to it")->needs(drive);
  CLI::App* s = jobVerb(app, a, "sheet", "the sheet that is handed over: what was done, what is still to do");
  s->add_option("-o,--output", a.output, "*.html, *.pdf, *.md, *.csv or *.json; never over anything")
      ->required();
  s->add_option("--shop", a.shop, "whose sheet it is");
  s->add_option("--logo", a.logo, "a PNG or JPEG of at most 1 MB");
  s->add_flag("--remember", a.remember, "on all sheets from now on");
  s->add_flag("--plain", a.plain, "without the annex for the shop");
}

void addUpkeep(CLI::App& app, Arguments& a) {
  CLI::App* u = app.add_subcommand("upkeep", "rules that run by themselves");
  u->fallthrough();
  u->add_flag("--json", a.json, "print one JSON document");
  u->require_subcommand(0, 1);
  const auto sub = [&](const char* name, const char* text) {
    CLI::App* verb = u->add_subcommand(name, text);
    verb->fallthrough();
    verb->callback([&a, name] { a.verb = name; });
    return verb;
  };
  sub("list", "the rules, when each ran last and runs next");
  CLI::App* add = sub("add", "shows what a rule would do today, and keeps it");
  add->add_option("ACTION", a.edit, "discard, empty or drop; limit, to keep the journal within --cap")
      ->required()
      ->check(CLI::IsMember({"discard", "empty", "drop", "limit"}));
  add->add_option("QUESTION", a.items, say("which finds: %1", {say(questionHelp)}))->required()->expected(1);
  add->add_option("--on", a.path, "the drive's top, or a folder; / if nothing is said");
  add->add_option("--every", a.every, "daily, weekly, monthly, or upgrade: after packages were changed")
      ->check(CLI::IsMember({"daily", "weekly", "monthly", "upgrade"}))
      ->capture_default_str();
  add->add_option("--at", a.at, "HH:MM, local time");
  add->add_option("--below", a.below, "only when less than this is free: 20GB, 15%");
  add->add_option("--older", a.older, "only things untouched for so long: \"30 d\"");
  add->add_option("--newest-stay", a.newestStay, "the newest so many things stay");
  add->add_option("--cap", a.cap, "only what is beyond this, the oldest first");
  add->add_option("--most", a.most, "touches nothing when it would be more than this at once");
  add->add_option("--most-things", a.mostThings, "or more things");
  add->add_option("--instead", a.instead, "a rule that this one takes the place of");
  add->add_flag("--personal", a.personal, "arrivals and personal things, too");
  CLI::App* drop = sub("drop", "forgets rules");
  drop->add_option("RULE", a.items, "r1, r2…")->required();
  CLI::App* run = sub("run", "runs rules now");
  run->add_option("RULE", a.items, "r1, r2…; all if none is named");
  run->add_flag("--dry-run", a.dryRun, "says what would go, changes nothing");
  run->add_flag("--due", a.due, "only those whose time has come");
  run->add_flag("--notify", a.notify, "tells the desktop what came of it, and what is still to be seen to");
  run->add_flag("--upgraded", a.upgraded, "packages were changed just now");
  CLI::App* install = sub("install", "writes what runs the rules by itself");
  install->add_flag("--system", a.whole, "for the whole system, as root; else for this user");
  install->add_option("--into", a.output, "write the files to this folder");
}

void addPlanning(CLI::App& app, Arguments& a) {
  CLI::App* p =
      jobVerb(app, a, "propose", "works a plan out that reaches the hardest target with the least regret");
  p->add_option("--ceiling", a.ceiling, "none, time-or-bandwidth, a-way-back, personal-moved, personal-gone");
  p->add_option("--keep", a.keep, "leave this path and everything in it alone");
  p->add_option("-o,--output", a.output, "write the plan to this file; else it becomes the job's plan");
  p->add_option("--prefer", a.prefer, "least-regret or fewest-steps")
      ->check(CLI::IsMember({"least-regret", "fewest-steps"}));
  p->add_option("--to", a.to, "a folder of another drive: what is personal and may go is moved there");
  p->add_flag("--alternatives", a.alternatives, "shows the ways to reach it side by side; plans nothing");
  CLI::App* e = app.add_subcommand("plan", "edits and shows the plan");
  e->fallthrough();
  e->add_option("--job", a.job, "the job file (*.ztjob)")->required();
  e->add_flag("--json", a.json, "print one JSON document");
  e->require_subcommand(1);
  for (const char* name : {"show", "add", "drop", "move"}) {
    CLI::App* sub = e->add_subcommand(name);
    sub->fallthrough();
    sub->callback([&a, name] { a.edit = name; });
    if (std::string_view(name) == "show") continue;
    sub->add_option("ITEM", a.items, "ids of finds, or paths from the measured root")->required();
    if (std::string_view(name) == "add") {
      sub->add_option(
          "--action", a.action,
          "discard, hold, empty, transfer, link, share, shrink, drop, switch-off, remove, limit, advise");
      sub->add_option("--with", a.with, "what the action is told beside its things: \"NAME=VALUE\"");
      sub->add_option("--to", a.to, "the same as --with \"to=FOLDER\"");
      sub->add_option("--second", a.second,
                      "the same as --with \"second=FOLDER\": a copy on a third drive, too");
      sub->add_option("--older", a.older, "only things untouched for so long: \"90 d\", \"1 y\"");
      sub->add_option("--newest-stay", a.newestStay, "the newest so many things stay")
          ->check(CLI::Range(1, 1'000'000));
      sub->add_option("--but", a.but, "these paths stay");
      sub->add_flag("--with-snapshots", a.withPoints,
                    "and the snapshots that keep their bytes from coming free")
          ->excludes("--action")
          ->excludes("--older")
          ->excludes("--newest-stay")
          ->excludes("--but");
    }
    if (std::string_view(name) == "move")
      sub->add_option("--by", a.by, "so many places down; negative: up")->required();
  }
}

void addCarryingOut(CLI::App& app, Arguments& a) {
  CLI::App* r = jobVerb(app, a, "reclaim", "carries the plan out; without consent it changes nothing");
  r->add_option("--plan", a.planFile, "a plan file, instead of the job's plan");
  r->add_flag("--dry-run", a.dryRun, "check every item, change nothing");
  r->add_option("--consent", a.consent, "the token that was printed without it");
  r->add_flag("--until-met", a.untilMet, "stop when the drive's own counter has reached the targets");
  CLI::App* proves = jobVerb(app, a, "prove", "measures again and compares");
  proves->add_option(
      "--until", a.until,
      "again and again until the targets are met, or for so long: \"30 s\", \"10 min\", \"2 h\"");
  jobVerb(app, a, "repay", "pays loans back: what was switched off for a while is as it was again");
  CLI::App* u = plainVerb(app, a, "undo", "puts held things back");
  CLI::App* l =
      plainVerb(app, a, "release", "lets held things go for good; without consent it changes nothing");
  for (CLI::App* verb : {u, l}) {
    CLI::Option* job = verb->add_option("--job", a.job, "the job file (*.ztjob)");
    verb->add_option("--drive", a.drive, "what any job holds on the drive of this place")->excludes(job);
    verb->add_flag("--stand-in", a.standIn, "the drive is a stand-in");
    verb->final_callback([&a] {
      if (a.job.empty() && a.drive.empty()) throw CLI::RequiredError("--job or --drive");
    });
  }
  u->add_option("--run", a.run, "only those of this run");
  l->add_option("--consent", a.consent, "the token that was printed without it");
  CLI::App* p = plainVerb(app, a, "places", "what is known of places; checks a file of one's own");
  p->add_option("FILE", a.path,
                "a file of one's own to check, instead of the one in the configuration folder");
  p->add_flag("--markdown", a.markdown, "as a document to read");
  CLI::App* d = plainVerb(app, a, "demo", "builds a stand-in drive");
  d->add_option("DIR", a.path, "a new folder")->required();
  d->add_option("--drive", a.scenario, "office, ferry or studio")
      ->check(CLI::IsMember({"office", "ferry", "studio"}));
}

constexpr std::pair<const char*, Verb> verbs[] = {
    {"drives", drives},     {"measure", measureVerb}, {"tree", tree},           {"finds", finds},
    {"match", matchVerb},   {"points", points},       {"mark", mark},           {"list", list},
    {"export", exportVerb}, {"import", importVerb},   {"propose", proposeVerb}, {"plan", plan},
    {"reclaim", reclaim},   {"prove", proveVerb},     {"undo", undo},           {"release", release},
    {"repay", repay},       {"compare", compareVerb}, {"history", historyVerb}, {"sheet", sheetVerb},
    {"upkeep", upkeepVerb}, {"demo", demo},           {"places", places}};

/// What people are told of verbs and options, in their language. Pages and completions are made in English.
void inTheirWords(CLI::App& app) {
  app.description(say(app.get_description().c_str()));
  app.footer(say(app.get_footer().c_str()));
  for (CLI::Option* option : app.get_options()) option->description(say(option->get_description().c_str()));
  for (CLI::App* verb : app.get_subcommands([](CLI::App*) { return true; })) inTheirWords(*verb);
}

int describe(Console& console, const CLI::App& app, const std::string& form, const std::string& page) {
  if (form == "bash") console.out << bashCompletion(app);
  if (form == "zsh") console.out << zshCompletion(app);
  if (form == "fish") console.out << fishCompletion(app);
  if (form != "man") return Exit::done;
  std::ifstream in(page, std::ios::binary);
  if (!in) return report(console, Error{Errc::notThere, "describe", page, 0, {}});
  console.out << manualPage(app, std::string(std::istreambuf_iterator<char>(in), {}));
  return Exit::done;
}

}  // namespace

int run(Console& console, int argc, const char* const* argv) {
  Arguments args;
  CLI::App app{
      "Zip Tally: measure where a drive's space goes, plan what to reclaim, carry it out safely, prove it."};
  app.name("ztally");
  app.set_version_flag("--version", "ztally 0.1.0");
  app.require_subcommand(1);
  app.footer(
      "Exit status: 0 done, 1 failed, 2 usage, 3 done in part, 4 refused for safety.\nSizes: 1 GB = 10^9 B.");
  addMeasuring(app, args);
  addFinding(app, args);
  addExploring(app, args);
  addVisits(app, args);
  addUpkeep(app, args);
  addPlanning(app, args);
  addCarryingOut(app, args);
  const std::string_view asked = argc > 1 ? argv[1] : "";
  const bool isVerb =
      std::any_of(std::begin(verbs), std::end(verbs), [&](const auto& v) { return v.first == asked; });
  if (!asked.empty() && !asked.starts_with('-') && asked != "describe" && !isVerb) {
    console.err << "ztally: " << say("there is no such verb: %1; see ztally --help", {escapePath(asked)})
                << '\n';
    return Exit::usage;
  }
  std::string form, page;
  // For the build of the package; people are not told.
  CLI::App* describing =
      app.add_subcommand("describe", "tells a shell or a manual page what there is")->group("");
  describing->add_option("FORM", form)->required()->check(CLI::IsMember({"bash", "zsh", "fish", "man"}));
  describing->add_option("PAGE", page);
  if (asked != "describe") inTheirWords(app);
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    const int code = app.exit(e, console.out, console.err);
    return code == 0 ? Exit::done : Exit::usage;
  }
  if (*describing) return describe(console, app, form, page);
  for (const auto& [name, verb] : verbs)
    if (app.got_subcommand(name)) return verb(console, args);
  return Exit::usage;
}

}  // namespace zt::cli
