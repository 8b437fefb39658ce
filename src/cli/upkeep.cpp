// SPDX-License-Identifier: GPL-3.0-or-later
// upkeep
#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <ostream>
#include <thread>

#include <spawn.h>
#include <sys/stat.h>
#include <unistd.h>

#include "cli/verbs.h"
#include "core/job/reminders.h"
#include "core/os/notices.h"
#include "core/os/paths.h"
#include "core/query/question.h"
#include "core/upkeep/run_rule.h"
#include "core/upkeep/units.h"

namespace zt::cli {

namespace {

constexpr std::size_t mostRan = 10;

PathBytes besideRegister(const std::string& name) {
  return joinPath(parentPath(registerFile()), name);
}

Json ruleJson(const UpkeepRule& rule, TimeNs now) {
  Json j = toJson(std::vector<UpkeepRule>{rule})["rules"][0];
  j["sentence"] = words().rule(rule);
  const auto next = nextTime(rule, now);
  j["next_ns"] = next ? Json(*next) : Json();
  return j;
}

Json remindersJson(Console& console) {
  const TimeNs now = console.workshop.clock->now();
  Json list = Json::array();
  for (const Reminder& r : remindersOf(console.workshop)) {
    Json j{{"kind", name(r.kind)},
           {"drive", r.drive},
           {"title", r.title},
           {"since_ns", r.since},
           {"bytes", r.bytes},
           {"pressing", isPressing(r, now)},
           {"text", words().reminder(r, now)}};
    putPath(j, "job", r.job);
    putPath(j, "root", r.root);
    list.push_back(std::move(j));
  }
  return list;
}

int listRules(Console& console, const Arguments& args, const std::vector<UpkeepRule>& rules) {
  const TimeNs now = console.workshop.clock->now();
  if (args.json) {
    Json list = Json::array();
    for (const UpkeepRule& rule : rules) list.push_back(ruleJson(rule, now));
    print(console, {{"rules", std::move(list)}, {"reminders", remindersJson(console)}});
    return Exit::done;
  }
  for (const UpkeepRule& rule : rules) {
    console.out << rule.id << "  " << words().rule(rule) << '\n';
    if (!rule.ran.empty()) console.out << "    " << say("last %1", {words().ran(rule.ran.back())}) << '\n';
    if (const auto next = nextTime(rule, now))
      console.out << "    " << say("next %1", {words().date(*next)}) << '\n';
  }
  for (const Reminder& reminder : remindersOf(console.workshop))
    console.out << words().reminder(reminder, now) << '\n';
  if (rules.empty()) console.out << say("no rules; see ztally upkeep add --help") << '\n';
  return Exit::done;
}

/// Minutes of a "03:00"; nothing for what is no time.
std::optional<int> minutesOf(const std::string& text) {
  int hour = 0, minute = 0, end = 0;
  if (std::sscanf(text.c_str(), "%2d:%2d%n", &hour, &minute, &end) != 2 ||
      end != static_cast<int>(text.size()))
    return std::nullopt;
  if (hour < 0 || hour > 23 || minute < 0 || minute > 59) return std::nullopt;
  return hour * 60 + minute;
}

Result<UpkeepRule> ruleFrom(Console& console, const Arguments& args) {
  UpkeepRule rule;
  rule.action = args.edit;
  rule.question = args.items.front();
  const auto on = canonicalPath(args.path.empty() ? PathBytes("/") : args.path);
  if (!on) return tl::unexpected(on.error());
  rule.on = *on;
  const auto drive = driveOf(console.workshop, *on);
  if (!drive) return tl::unexpected(drive.error());
  rule.drive = drive->id;
  const auto amount = [&](const std::string& text, Bytes missing) -> Result<Bytes> {
    if (text.empty()) return missing;
    const auto bytes = parseAmount(text, drive->usage.capacity);
    return bytes ? Result<Bytes>(*bytes) : Result<Bytes>(fail(Errc::badInput, "upkeep", {}, text));
  };
  for (auto [text, into] : {std::pair(&args.below, &rule.below), std::pair(&args.cap, &rule.capTo),
                            std::pair(&args.most, &rule.mostBytes)}) {
    const auto bytes = amount(*text, *into);
    if (!bytes) return tl::unexpected(bytes.error());
    *into = *bytes;
  }
  if (!args.older.empty()) {
    const auto days = parseDays(args.older);
    if (!days) return fail(Errc::badInput, "upkeep", {}, args.older);
    rule.olderDays = *days;
  }
  rule.newestStay = args.newestStay;
  if (args.mostThings > 0) rule.mostThings = args.mostThings;
  rule.personal = args.personal;
  if (!args.at.empty()) {
    const auto minutes = minutesOf(args.at);
    if (!minutes) return fail(Errc::badInput, "upkeep", {}, args.at);
    rule.minuteOfDay = *minutes;
  }
  for (int i = 0; i < upkeepWhens; ++i)
    if (name(static_cast<UpkeepWhen>(i)) == args.every) rule.when = static_cast<UpkeepWhen>(i);
  if (rule.below > 0) rule.when = UpkeepWhen::below;
  if (needsCap(*console.workshop.craft, rule) && rule.capTo == 0)
    return fail(Errc::badInput, "upkeep", {}, "--cap");
  QuestionWords known;
  known.findKinds = findKinds(*console.workshop.craft);
  known.theirs = words().asked(known.findKinds);
  const auto question = parseQuestion(rule.question, known);
  if (!question) return tl::unexpected(question.error());
  rule.question = questionText(*question);  // whoever runs it later may speak another language
  return rule;
}

Result<UpkeepOutcome> runOne(Console& console, const UpkeepRule& rule, bool dry) {
  UpkeepOptions options;
  options.dry = dry;
  options.stop = console.stop;
  if (!dry) {
    const PathBytes folder = besideRegister("upkeep");
    if (auto made = makeFolders(folder); !made) return tl::unexpected(made.error());
    options.jobFile = joinPath(
        folder, rule.id + "-" + std::to_string(console.workshop.clock->now() / 1'000'000) + ".ztjob");
  }
  return runRule(console.workshop, rule, options);
}

Json outcomeJson(const UpkeepRule& rule, const UpkeepOutcome& outcome, bool dry) {
  Json j{{"rule", rule.id},
         {"end", name(outcome.ran.end)},
         {"things", outcome.ran.things},
         {"planned_bytes", outcome.ran.planned},
         {"gained_bytes", outcome.ran.gained},
         {"dry_run", dry}};
  if (!outcome.ran.why.empty()) j["why"] = outcome.ran.why;
  j["would_go"] = Json::array();
  for (const Subject& thing : outcome.things) {
    Json one{{"occupied_bytes", thing.occupied}};
    putPath(one, "path", thing.path);
    j["would_go"].push_back(std::move(one));
  }
  return j;
}

void printOutcome(Console& console, const UpkeepRule& rule, const UpkeepOutcome& outcome, bool dry) {
  console.out << rule.id << "  " << words().ran(outcome.ran) << '\n';
  if (!dry) return;
  std::size_t shown = 0;
  for (const Subject& thing : outcome.things)
    if (shown++ < 20) console.out << column(thing.occupied) << "  " << escapePath(thing.path) << '\n';
  if (outcome.things.size() > 20)
    console.out << "            " << say("and %1 more", {words().things(outcome.things.size() - 20)}) << '\n';
  console.out << say("nothing was changed; it would give up to %1", {words().bytes(outcome.ran.planned)})
              << '\n';
}

bool wentWell(UpkeepEnd end) {
  return end == UpkeepEnd::done || end == UpkeepEnd::nothing;
}

/// A rule that was kept meanwhile by somebody else is not written over.
Result<void> noteRan(Register& visits, const std::string& id, const UpkeepRan& ran) {
  return changeRules(visits, [&](std::vector<UpkeepRule>& rules) -> Result<void> {
    for (UpkeepRule& rule : rules) {
      if (rule.id != id) continue;
      rule.ran.push_back(ran);
      // Runs that are not told of any more need not be kept; rules set nothing aside.
      for (; rule.ran.size() > mostRan; rule.ran.erase(rule.ran.begin()))
        if (!rule.ran.front().job.empty()) std::remove(rule.ran.front().job.c_str());
    }
    return {};
  });
}

/// The window, beside this program or where programs are.
std::string windowProgram() {
  if (const char* given = std::getenv("ZTALLY_WINDOW"); given != nullptr && *given != '\0') return given;
  const auto self = openedProgram();
  if (!self) return "zip-tally";
  for (const char* place : {"zip-tally", "../desktop/zip-tally"})
    if (PathBytes path = joinPath(parentPath(*self), place); exists(path)) return path;
  return "zip-tally";
}

/// What a service starts ends with it, so it asks the user's service manager for the window.
void openWindow(const PathBytes& place) {
  std::vector<std::string> words{windowProgram(), place};
  if (std::getenv("INVOCATION_ID") != nullptr)
    words.insert(words.begin(), {"systemd-run", "--user", "--collect", "--quiet"});
  std::vector<char*> argv;
  argv.reserve(words.size() + 1);
  for (std::string& word : words) argv.push_back(word.data());
  argv.push_back(nullptr);
  pid_t child = 0;
  ::posix_spawnp(&child, argv[0], nullptr, nullptr, argv.data(), environ);
}

/// Tells the desktop what rules did and what is still to be seen to; nothing where there is nothing to tell.
/// Who wants to see more is brought there. A desktop that shows nothing keeps nobody from anything.
void notify(Console& console, const std::vector<std::string>& ran, const PathBytes& where) {
  const TimeNs now = console.workshop.clock->now();
  std::string text;
  PathBytes place = where;
  const auto add = [&](const std::string& line) { text += (text.empty() ? "" : "\n") + line; };
  for (const std::string& line : ran) add(line);
  for (const Reminder& reminder : remindersOf(console.workshop)) {
    if (!isPressing(reminder, now)) continue;
    add(words().reminder(reminder, now));
    if (place.empty()) place = reminder.job.empty() ? reminder.root : reminder.job;
  }
  if (text.empty()) return;
  constexpr std::chrono::minutes patience{5};
  const auto opened =
      desktopNotices()->show({say("Upkeep of drives"), text, say("Open the window")}, patience, console.stop);
  if (!opened)
    console.err << "ztally: " << say("no notification could be shown; what it would have said is in the log")
                << '\n';
  else if (*opened && !place.empty())
    openWindow(place);
}

int runRules(Console& console, const Arguments& args, const std::vector<UpkeepRule>& rules) {
  Json list = Json::array();
  std::vector<std::string> told;
  PathBytes where;
  bool well = true, any = false;
  for (const UpkeepRule& rule : rules) {
    if (!args.items.empty() && std::find(args.items.begin(), args.items.end(), rule.id) == args.items.end())
      continue;
    const auto drive = driveOf(console.workshop, rule.on);
    const Bytes free = drive ? drive->usage.available : 0;
    if (args.due && !isDue(rule, console.workshop.clock->now(), free, args.upgraded)) continue;
    any = true;
    const auto outcome = runOne(console, rule, args.dryRun);
    if (!outcome) return report(console, outcome.error());
    if (!args.dryRun)
      if (auto noted = noteRan(*console.workshop.visits, rule.id, outcome->ran); !noted)
        return report(console, noted.error());
    well = well && wentWell(outcome->ran.end);
    if (outcome->ran.end != UpkeepEnd::nothing)
      told.push_back(rule.id + ": " + words().ran(outcome->ran)), where = rule.on;
    if (args.json)
      list.push_back(outcomeJson(rule, *outcome, args.dryRun));
    else
      printOutcome(console, rule, *outcome, args.dryRun);
  }
  if (!args.items.empty() && !any && !args.due)
    return report(console, Error{Errc::notThere, "upkeep", args.items.front(), 0, {}});
  if (args.json) print(console, {{"runs", std::move(list)}, {"reminders", remindersJson(console)}});
  console.out.flush();
  if (args.notify) notify(console, told, where);
  return well ? Exit::done : Exit::partly;
}

int addRule(Console& console, const Arguments& args) {
  auto rule = ruleFrom(console, args);
  if (!rule) return report(console, rule.error());
  rule->id = args.instead;
  // Seen before it is kept: what it would do today.
  const auto seen = runOne(console, *rule, true);
  if (!seen) return report(console, seen.error());
  const bool kept = seen->ran.end != UpkeepEnd::wholeHome && seen->ran.end != UpkeepEnd::placeChanged &&
                    seen->ran.end != UpkeepEnd::failed;
  if (kept) {
    const auto id = keepRule(*console.workshop.visits, *rule);
    if (!id) return report(console, id.error());
    rule->id = *id;
  }
  if (args.json) {
    Json j = outcomeJson(*rule, *seen, true);
    j["kept"] = kept;
    j["sentence"] = words().rule(*rule);
    print(console, j);
  } else {
    console.out << words().rule(*rule) << '\n';
    printOutcome(console, *rule, *seen, true);
    console.out << (kept ? say("kept as %1", {rule->id}) : say("not kept")) << '\n';
  }
  return kept ? Exit::done : Exit::refused;
}

int dropRule(Console& console, const Arguments& args) {
  std::size_t gone = 0;
  const auto done =
      changeRules(*console.workshop.visits, [&](std::vector<UpkeepRule>& rules) -> Result<void> {
        gone = std::erase_if(rules, [&](const UpkeepRule& r) {
          return std::find(args.items.begin(), args.items.end(), r.id) != args.items.end();
        });
        return gone > 0 ? Result<void>() : fail(Errc::notThere, "upkeep", args.items.front());
      });
  if (!done) return report(console, done.error());
  if (args.json)
    print(console, {{"dropped", gone}});
  else
    console.out << say("%1 dropped", {words().number(gone)}) << '\n';
  return Exit::done;
}

/// Where unit files of this user, or of the system, lie.
PathBytes unitFolder(const Arguments& args) {
  if (!args.output.empty()) return args.output;
  return args.whole ? PathBytes("/etc/systemd/system")
                    : joinPath(ownBase("XDG_CONFIG_HOME", ".config"), "systemd/user");
}

int installRules(Console& console, const Arguments& args, const std::vector<UpkeepRule>& rules) {
  if (rules.empty()) return report(console, Error{Errc::notThere, "upkeep", {}, 0, "no rules"});
  const auto self = openedProgram();
  if (!self) return report(console, self.error());
  const PathBytes folder = unitFolder(args);
  if (auto made = makeFolders(folder); !made) return report(console, made.error());
  const auto units = upkeepUnits(rules, *self, args.whole);
  for (const UnitFile& unit : units) {
    const PathBytes file = joinPath(folder, unit.name);
    std::ofstream out(file, std::ios::binary | std::ios::trunc);
    out << unit.text;
    out.close();
    if (!out) return report(console, failErrno("upkeep", file, errno == 0 ? EIO : errno).value());
    ::chmod(file.c_str(), 0644);
    console.err << say("written to %1", {escapePath(file)}) << '\n';
  }
  const bool runs = exists("/run/systemd/system") && args.output.empty();
  const std::string who = args.whole ? "" : "--user ";
  std::string enabling;
  for (const UnitFile& unit : units)
    if (!unit.name.ends_with(".service")) enabling += " " + unit.name;
  if (args.json) {
    Json names = Json::array();
    for (const UnitFile& unit : units) names.push_back(unit.name);
    Json j{{"units", std::move(names)}, {"crontab", crontabLine(*self)}};
    putPath(j, "folder", folder);
    print(console, j);
    return Exit::done;
  }
  if (runs)
    console.out << say("Start them with: %1",
                       {"systemctl " + who + "daemon-reload && systemctl " + who + "enable --now" + enabling})
                << '\n';
  else
    console.out << say("systemd does not run here. A line for crontab -e that does the same:") << '\n'
                << crontabLine(*self) << '\n';
  return Exit::done;
}

}  // namespace

int upkeepVerb(Console& console, const Arguments& args) {
  if (!console.workshop.visits)
    return report(console, Error{Errc::unsupported, "register", {}, 0, "no register"});
  const auto rules = rulesOf(*console.workshop.visits);
  if (!rules) return report(console, rules.error());
  if (args.verb == "add") return addRule(console, args);
  if (args.verb == "drop") return dropRule(console, args);
  if (args.verb == "run") return runRules(console, args, *rules);
  if (args.verb == "install") return installRules(console, args, *rules);
  return listRules(console, args, *rules);
}

}  // namespace zt::cli
