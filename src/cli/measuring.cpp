// SPDX-License-Identifier: GPL-3.0-or-later
// drives, measure, tree, finds, mark, demo
#include <unistd.h>

#include <algorithm>
#include <iomanip>
#include <iostream>
#include <set>

#include "cli/verbs.h"
#include "core/finds/evidence.h"
#include "core/job/drive_holds.h"
#include "core/job/named_path.h"
#include "core/job/outcome_json.h"
#include "core/job/readings.h"
#include "core/job/register_mend.h"
#include "core/job/twins.h"
#include "core/os/paths.h"
#include "core/query/answer.h"
#include "core/reclaim/guard.h"
#include "demo/builder.h"

namespace zt::cli {

namespace {

Json heldJson(const std::vector<HeldThing>& things) {
  Json list = Json::array();
  for (const HeldThing& thing : things) {
    Json j{{"job", thing.job},
           {"run", thing.record.run},
           {"occupied_bytes", thing.record.occupied},
           {"cut_short", thing.cutShort}};
    putPath(j, "path", thing.record.path);
    putPath(j, "held_in", joinPath(thing.record.holdFolder, std::to_string(thing.record.seq)));
    list.push_back(std::move(j));
  }
  return list;
}

Json visitJson(const Visit& v) {
  Json j{{"job", v.job},
         {"when_ns", v.when},
         {"what", name(v.kind)},
         {"capacity_bytes", v.capacity},
         {"free_bytes", v.free},
         {"entries", v.entries},
         {"whole_drive", v.wholeDrive}};
  putPath(j, "file", v.file);
  putPath(j, "root", v.root);
  return j;
}

/// What the register and the drive itself tell of earlier visits.
struct Past {
  std::vector<Visit> visits;
  std::vector<HeldThing> held;
  std::vector<OpenLoan> loans;
};

Past pastOf(const Workshop& workshop, const Drive& d) {
  Past past;
  std::vector<PathBytes> folders;
  if (workshop.visits) {
    past.visits = workshop.visits->visits(d.id).value_or(std::vector<Visit>{});
    folders = workshop.visits->holds(d.id);
    past.loans = workshop.visits->loans(d.id);
  }
  past.held = heldOn(workshop, d, folders);
  return past;
}

/// Before headroom is gone, as far as the visits tell.
void warnOfHeadroom(Console& console, const std::vector<Target>& rules, const Past& past) {
  const TimeNs now = console.workshop.clock->now();
  const Trend trend = trendOf(readingsOf(past.visits), now);
  if (trend.lacks != Trend::Lacks::nothing) return;
  Bytes most = 0;
  for (const Target& rule : rules) most = std::max(most, rule.bytes);
  const std::string text = words().forecast(trend, whenAt(trend, most), say("headroom gone"), now);
  if (!text.empty()) console.out << "  " << text << '\n';
}

void printDrive(Console& console, const Drive& d, const std::vector<Target>& rules, const Past& past) {
  std::ostream& out = console.out;
  out << words().driveName(d) << "  " << escapePath(d.target) << "  " << words().driveLine(d) << ", "
      << d.fsType << '\n';
  if (!d.answers) return;
  if (d.twin)
    out << "  "
        << say("it has the identity of a drive of earlier visits, on other hardware; until you say which it "
               "is it "
               "is kept apart: ztally drives --drive %1, with --same or --another",
               {escapePath(d.target)})
        << '\n';
  out << "  "
      << say("%1 free of %2, reserved %3, %4 of %5 inodes free; %6",
             {words().bytes(d.usage.available), words().bytes(d.usage.capacity),
              words().bytes(d.usage.reserved()), words().number(d.usage.inodesFree),
              words().number(d.usage.inodes), words().urgency(urgencyOf(d, rules))})
      << '\n';
  for (const Target& t : rules) {
    const SignedBytes over = surplus(t, d.usage.available);
    out << "  " << words().targetName(t) << ": "
        << (over >= 0 ? say("%1 over", {words().signedBytes(over)})
                      : say("%1 short", {words().signedBytes(-over)}))
        << " (" << words().targetReason(t) << ")\n";
  }
  if (!past.visits.empty())
    out << "  "
        << say("last visit: %1, %2 free then",
               {words().age(past.visits.back().when, console.workshop.clock->now()),
                words().bytes(past.visits.back().free)})
        << '\n';
  warnOfHeadroom(console, rules, past);
  for (const OpenLoan& loan : past.loans)
    out << "  "
        << say("lent: %1, %2; pay it back with: ztally repay --job, the job that lent it",
               {escapePath(loan.path), words().bytes(loan.bytes)})
        << '\n';
  if (past.held.empty()) return;
  Bytes bytes = 0;
  for (const auto& thing : past.held) bytes += thing.record.occupied;
  out << "  "
      << say("held: %1, %2; put back with: ztally undo --drive %3",
             {words().things(past.held.size()), words().bytes(bytes), escapePath(d.target)})
      << '\n';
}

/// Keeps what the user says of a drive against the hardware.
int overruleDrive(Console& console, const Arguments& args) {
  if (!console.workshop.visits)
    return report(console, Error{Errc::unsupported, "register", {}, 0, "no register"});
  const auto path = canonicalPath(args.drive);
  if (!path) return report(console, path.error());
  const auto drive = driveOf(console.workshop, *path);
  if (!drive) return report(console, drive.error());
  if (args.same || args.another)
    if (const auto told = sayTwin(*drive, args.same, *console.workshop.visits); !told)
      return report(console, told.error());
  DriveOverrule said = console.workshop.visits->overrule(drive->id);
  for (int i = 0; i < driveKinds; ++i)
    if (name(static_cast<DriveKind>(i)) == args.driveKind) said.kind = static_cast<DriveKind>(i);
  for (int i = 0; i < sizeClasses; ++i)
    if (name(static_cast<SizeClass>(i)) == args.driveSize) said.size = static_cast<SizeClass>(i);
  if (const auto kept = console.workshop.visits->setOverrule(drive->id, said); !kept)
    return report(console, kept.error());
  return Exit::done;
}

/// A damaged register stands in the way of whatever has to know what is kept.
int mend(Console& console, bool json) {
  const auto mended = mendRegister(registerFile());
  if (!mended) return report(console, mended.error());
  Json tables = Json::array();
  for (const MendedTable& t : mended->tables) {
    tables.push_back({{"name", t.name}, {"rows", t.rows}, {"whole", t.whole}});
    if (!json && !t.whole)
      console.out << say("%1: only %2 rows could be read", {t.name, std::to_string(t.rows)}) << '\n';
  }
  if (json) {
    Json j{{"tables", std::move(tables)}, {"knows_what_is_kept", mended->knowsWhatIsKept()}};
    putPath(j, "aside", mended->aside);
    print(console, j);
    return Exit::done;
  }
  console.out
      << say("The register was damaged; what could be read stands in a new one. The damaged one is now %1.",
             {escapePath(mended->aside)})
      << '\n';
  if (!mended->knowsWhatIsKept())
    console.out << say("Some of what was said to be kept may be forgotten: look before anything goes.")
                << '\n';
  return Exit::done;
}

}  // namespace

int drives(Console& console, const Arguments& args) {
  if (args.mend) return mend(console, args.json);
  if (!args.drive.empty())
    if (const int said = overruleDrive(console, args); said != Exit::done) return said;
  auto all = listDrives(console.workshop);
  if (!all) return report(console, all.error());
  Json list = Json::array();
  for (Drive& d : *all) {
    if (console.workshop.visits) overrule(d, console.workshop.visits->overrule(d.id));
    const auto rules = headroomRules(d);
    const Past past = pastOf(console.workshop, d);
    if (!args.json) {
      printDrive(console, d, rules, past);
      continue;
    }
    Json j = toJson(d);
    j["urgency"] = name(urgencyOf(d, rules));
    j["headroom"] = Json::array();
    for (const Target& t : rules) {
      Json rule = toJson(t);
      rule["surplus_bytes"] = surplus(t, d.usage.available);
      rule["reason"] = words().targetReason(t);
      j["headroom"].push_back(std::move(rule));
    }
    j["last_visit"] = past.visits.empty() ? Json() : visitJson(past.visits.back());
    j["visits"] = Json::array();
    for (const Visit& visit : past.visits) j["visits"].push_back(visitJson(visit));
    j["held"] = heldJson(past.held);
    j["loans"] = toJson(past.loans);
    list.push_back(std::move(j));
  }
  if (args.json) print(console, {{"drives", std::move(list)}});
  return Exit::done;
}

namespace {

Json statementJson(const Statement& s) {
  Json lines = Json::array();
  for (std::size_t i = 0; i < statementLines; ++i) {
    const auto line = static_cast<StatementLine>(i);
    Json parts = Json::array();
    for (const StatementPart& part : s.parts)
      if (part.line == line) {
        Json p{{"id", part.id}, {"bytes", part.bytes}, {"count", part.count}};
        if (!part.subject.empty()) putPath(p, "subject", part.subject);
        parts.push_back(std::move(p));
      }
    lines.push_back({{"id", name(line)},
                     {"bytes", s[line]},
                     {"source", name(s.source(line))},
                     {"parts", std::move(parts)}});
  }
  return {{"capacity_bytes", s.capacity},
          {"lines", std::move(lines)},
          {"unexplained_bytes", s[StatementLine::unexplained]}};
}

Json surveyJson(const Job& job) {
  const Survey& s = *job.surveys().survey();
  const FolderTotals& t = s.tree.totals(0);
  Json unreadable = Json::array();
  Json mounted = Json::array();
  for (const auto& e : s.exceptions) {
    if (e.kind == SurveyException::Kind::vanished) continue;
    Json j{{"errno", e.sysErrno}, {"kind", name(e.kind)}};
    putPath(j, "path", s.tree.path(e.node));
    (e.kind == SurveyException::Kind::mountedOver ? mounted : unreadable).push_back(std::move(j));
  }
  Json j{{"entries", s.tree.entries()},
         {"files", t.files},
         {"folders", s.tree.folderCount()},
         {"length_bytes", t.length},
         {"occupied_bytes", t.occupied},
         {"exclusive_bytes", t.exclusive},
         {"linked_inodes", s.tree.linkGroups()},
         {"unreadable", std::move(unreadable)},
         {"mounted_over", std::move(mounted)},
         {"vanished", s.vanished},
         {"access_times_at_risk", {{"folders", s.timesAtRisk}}},
         {"partial", s.partial},
         {"fs_type", s.fsType},
         {"family", name(job.surveys().context()->places.systems().empty()
                             ? SystemFamily::none
                             : job.surveys().context()->places.systems().front().family)},
         {"whole_drive", s.wholeDrive},
         {"seconds", static_cast<double>(s.finished - s.started) / 1e9},
         {"finished_ns", s.finished},
         {"statement", statementJson(s.statement)}};
  putPath(j, "root", s.root);
  return j;
}

void printSurvey(Console& console, const Survey& s) {
  console.out << say("Statement of %1 (1 GB = 10^9 B)", {escapePath(s.root)}) << '\n';
  for (std::size_t i = 0; i < statementLines; ++i) {
    const auto line = static_cast<StatementLine>(i);
    const SignedBytes bytes = s.statement[line];
    const bool always = i < 3 || i + 1 == statementLines;
    if (bytes == 0 && !always) continue;
    console.out << "  " << padded(words().statementLine(line), 18) << signedColumn(bytes) << "  "
                << words().lineSource(s.statement.source(line)) << '\n';
    for (const StatementPart& part : s.statement.parts)
      if (part.line == line) console.out << "      " << words().statementPart(part) << '\n';
  }
  console.out << "  " << padded(say("capacity"), 18) << column(s.statement.capacity) << "\n"
              << say("%1 entries in %2 folders",
                     {words().number(s.tree.entries()), words().number(s.tree.folderCount())});
  if (!s.exceptions.empty())
    console.out << say("; %1 could not be looked into", {words().number(s.exceptions.size())});
  if (s.partial) console.out << say("; stopped early: this is partial");
  console.out << '\n';
  if (const auto note = words().accessTimes(s); !note.empty()) console.out << note << '\n';
}

Result<std::unique_ptr<Job>> jobToMeasure(Console& console, const Arguments& args) {
  if (!args.job.empty() && exists(args.job)) {
    auto job = Job::open(console.workshop, args.job);
    if (!job) return job;
    const auto named = canonicalPath(args.path);
    if (!named) return tl::unexpected(named.error());
    if ((*job)->site().opened() != *named)
      return fail(Errc::taken, "job-file", args.job, "it belongs to " + escapePath((*job)->site().opened()));
    return job;
  }
  return Job::create(console.workshop, args.path, args.standIn, {args.job, args.jobOnDrive});
}

}  // namespace

namespace {

/// "[LABEL=]AMOUNT[,while-it-runs]" in its parts.
std::pair<std::string, std::string> targetParts(const std::string& text) {
  const auto equals = text.rfind('=');
  if (equals == std::string::npos) return {{}, text};
  return {text.substr(0, equals), text.substr(equals + 1)};
}

Result<void> addTargets(Job& job, const Arguments& args) {
  for (const auto& text : args.targets) {
    const auto [label, amount] = targetParts(text);
    const auto& there = job.planBook().targets();
    const auto same = [&, l = label, a = amount](const Target& t) {
      return t.origin == TargetOrigin::task && t.label == l &&
             (t.whileItRuns ? t.amount + ",while-it-runs" : t.amount) == a;
    };
    if (std::any_of(there.begin(), there.end(), same)) continue;
    if (auto added = job.planBook().addTarget(label, amount); !added) return added;
  }
  return {};
}

void printWhatLeft(Console& console, const Job& job) {
  for (const LeftLine& line : job.planBook().left()) console.err << "ztally: " << words().left(line) << '\n';
  for (const DetectorProblem& p : job.surveys().problems())
    console.err << "ztally: " << say("looking for %1 failed: %2", {p.detector, words().error(p.error)})
                << '\n';
}

}  // namespace

int measureVerb(Console& console, const Arguments& args) {
  for (const auto& text : args.targets) {
    std::string amount = targetParts(text).second;
    if (const auto comma = amount.find(",while-it-runs"); comma != std::string::npos) amount.resize(comma);
    if (const auto parsed = parseAmount(amount, Bytes{1} << 50); !parsed)
      return report(console, parsed.error());
  }
  auto job = jobToMeasure(console, args);
  if (!job) return report(console, job.error());
  if (auto added = addTargets(**job, args); !added) return report(console, added.error());
  Measurer::Options options;
  options.threads = args.threads;
  options.everything = args.everything;
  {
    ProgressLine bar(console, ProgressLine::Of::accounting);
    const auto measured = args.folder.empty() ? (*job)->measurer().measure(options, console.stop, &bar)
                                              : (*job)->measurer().measureAgain(unescapePath(args.folder),
                                                                                options, console.stop, &bar);
    if (!measured) return report(console, measured.error());
  }
  if (const auto& refused = (*job)->measurer().rightsProblem())
    console.err << "ztally: " << say("measured without the rights asked for: %1", {words().error(*refused)})
                << '\n';
  printWhatLeft(console, **job);
  const Survey& survey = *(*job)->surveys().survey();
  if (args.json)
    print(console, surveyJson(**job));
  else
    printSurvey(console, survey);
  return survey.partial ? Exit::partly : Exit::done;
}

namespace {

void listFolder(Console& console, const Survey& s, const Arguments& args, NodeId folder, std::size_t level,
                Json* into) {
  std::vector<NodeId> children;
  const FolderTotals& t = s.tree.totals(folder);
  for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
    children.push_back(id);
  std::sort(children.begin(), children.end(),
            [&](NodeId a, NodeId b) { return s.tree.weight(a) > s.tree.weight(b); });
  if (children.size() > args.top) children.resize(args.top);
  for (const NodeId id : children) {
    const bool isFolder = s.tree.isFolder(id);
    if (into != nullptr) {
      Json j{{"folder", isFolder},
             {"occupied_bytes", s.tree.weight(id)},
             {"length_bytes", isFolder ? s.tree.totals(id).length : s.tree.length(id)},
             {"exclusive_bytes", isFolder              ? s.tree.totals(id).exclusive
                                 : s.tree.isLinked(id) ? 0
                                                       : s.tree.occupied(id)},
             {"newest_ns", isFolder ? s.tree.totals(id).newest : s.tree.modified(id)}};
      putPath(j, "path", s.tree.path(id));
      if (isFolder) j["entries"] = s.tree.totals(id).entries;
      if (isFolder && level < args.depth) {
        j["children"] = Json::array();
        listFolder(console, s, args, id, level + 1, &j["children"]);
      }
      into->push_back(std::move(j));
    } else {
      console.out << column(s.tree.weight(id)) << "  " << std::string(2 * (level - 1), ' ')
                  << escapePath(s.tree.name(id)) << (isFolder ? "/" : "") << '\n';
      if (isFolder && level < args.depth) listFolder(console, s, args, id, level + 1, nullptr);
    }
  }
}

}  // namespace

int tree(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  const Survey& s = *job->surveys().survey();
  const auto node = s.tree.find(unescapePath(args.path));
  if (!node || !s.tree.isFolder(*node))
    return report(console, Error{Errc::notThere, "tree", args.path, 0, {}});
  if (!args.json) {
    console.out << column(s.tree.weight(*node)) << "  "
                << (args.path.empty() ? escapePath(s.root) : args.path) << '\n';
    listFolder(console, s, args, *node, 1, nullptr);
    return Exit::done;
  }
  Json j{{"occupied_bytes", s.tree.weight(*node)}, {"children", Json::array()}};
  putPath(j, "path", s.tree.path(*node));
  listFolder(console, s, args, *node, 1, &j["children"]);
  print(console, j);
  return Exit::done;
}

namespace {

/// What is known of a find, as the contract of `finds --json` has it.
Json evidenceJson(const Find& f, const Evidence& e) {
  Json j{{"rights", e.needsRights}, {"restart", false}, {"undo", false}, {"size", name(e.size)}};
  for (const Offer& offer : f.offers)
    if (offer.canReturn) j["undo"] = true;
  for (const Offer& offer : f.offers)
    for (const std::string& condition : offer.conditions)
      if (condition == "restart") j["restart"] = true;
  for (const char* key : {"what", "maker", "lost", "comes_back", "cost", "command", "words", "note"})
    j[key] = "";
  j["usual_size"] = nullptr;
  if (e.place != nullptr) {
    const Place& p = *e.place;
    j.update(Json{{"what", p.what},
                  {"maker", p.maker},
                  {"lost", p.lost},
                  {"comes_back", p.back},
                  {"cost", p.cost},
                  {"command", p.command},
                  {"words", p.words},
                  {"note", p.note},
                  {"lasts", name(p.lasts)},
                  {"verdict", name(e.verdict)}});
    if (p.usual) j["usual_size"] = {{"least_bytes", p.usual->least}, {"most_bytes", p.usual->most}};
  }
  j["copies"] = Json::array();
  for (const Namesake& n : e.namesakes) {
    Json copy{{"by", "name-and-length"}};
    putPath(copy, "path", n.path);
    putPath(copy, "of", n.of);
    j["copies"].push_back(std::move(copy));
  }
  for (const NamesakeElsewhere& n : e.elsewhere) {
    Json copy{{"by", n.file.equal ? "content" : "name-and-length"},
              {"drive", n.file.drive},
              {"seen_ns", n.file.seen}};
    putPath(copy, "path", n.file.path);
    putPath(copy, "of", n.of);
    j["copies"].push_back(std::move(copy));
  }
  j["only_here"] = e.onlyHere;
  return j;
}

/// Who holds things of a find open now: only its own, not what lies in its folders.
Json holdersJson(const Find& f, const Holders& holders, const Job& job) {
  std::set<std::string> names;
  const auto root = job.site().files()->openRoot(job.site().root());
  if (!root) return Json::array();
  const auto device = job.site().files()->stat(**root, {});
  for (const Subject& s : f.items)
    if (device && s.inSurvey())
      if (const std::string* who = holders.holderOf(device->device, s.identity.inode)) names.insert(*who);
  return names;
}

}  // namespace

int finds(Console& console, const Arguments& args) {
  const auto kinds = findKinds(*console.workshop.craft);
  for (const auto& kind : args.kinds)
    if (std::find(kinds.begin(), kinds.end(), kind) == kinds.end())
      return report(console, Error{Errc::badInput, "kind", {}, 0, kind});
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  const FindContext& context = *job->surveys().context();
  const auto question = parseQuestion(args.question, theirQuestion(context, kinds));
  if (!question) return report(console, question.error());
  const FindMatcher matcher(context, *question);
  std::vector<const Find*> all;
  for (const Find& f : *job->surveys().finds()) all.push_back(&f);
  const EvidenceDesk desk(
      context, args.json ? std::span<const Find* const>(all) : std::span<const Find* const>(), ::geteuid());
  const Holders holders = args.json ? Holders::read(*job->site().openFiles()) : Holders();
  Json list = Json::array();
  std::size_t shown = 0;
  for (const Find& f : *job->surveys().finds()) {
    if (!args.kinds.empty() && std::none_of(args.kinds.begin(), args.kinds.end(),
                                            [&](const std::string& kind) { return isOfKind(f, kind); }))
      continue;
    if (!matcher.fits(f)) continue;
    ++shown;
    if (args.json) {
      Json j = toJson(f);
      j["title"] = words().findTitle(f);
      j["why"] = words().whyHere(f);
      j["evidence"] = evidenceJson(f, desk.of(f));
      j["evidence"]["holders"] = holdersJson(f, holders, *job);
      j["evidence"]["held_by"] = heldByJson(context, f.items);
      list.push_back(std::move(j));
    } else if (args.top == 0 || shown <= args.top) {
      console.out << column(f.gain.atMost) << "  " << padded(words().standing(f.standing), 13)
                  << words().findTitle(f) << "\n            " << f.id << ": " << words().findNote(f)
                  << (f.gain.sure < f.gain.atMost ? "; " + words().gainNote(f.gain) : "") << '\n';
    }
  }
  if (args.json)
    print(console, {{"finds", std::move(list)}});
  else if (shown == 0)
    console.out << (question->empty()
                        ? say("Nothing was found.")
                        : say("Nothing was found that answers: %1.", {words().understood(*question)}))
                << '\n';
  return Exit::done;
}

int mark(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  std::optional<Mark> said;
  for (int i = 0; i < markKinds; ++i)
    if (name(static_cast<Mark>(i)) == args.edit) said = static_cast<Mark>(i);
  std::vector<PathBytes> paths;
  for (const auto& item : args.items) {
    if (const Find* find = job->surveys().find(item)) {
      for (const Subject& s : find->items) paths.push_back(s.path);
      continue;
    }
    const auto path = namedPath(console.workshop, *job, item);
    // What is not there any more can be cleared by its plain name.
    if (!path && said) return report(console, path.error());
    paths.push_back(path.value_or(unescapePath(item)));
  }
  if (auto done = job->planBook().mark(paths, said); !done) return report(console, done.error());
  printWhatLeft(console, *job);
  if (args.json)
    print(console, {{"marks", toJson(job->planBook().marks())}});
  else
    for (const auto& [path, of] : job->planBook().marks().all())
      console.out << words().mark(of.mark) << "  " << escapePath(path) << '\n';
  return Exit::done;
}

int demo(Console& console, const Arguments& args) {
  const auto built = zt::demo::build(args.path, console.workshop.clock->now(), args.scenario);
  if (!built) return report(console, built.error());
  Json j{{"files", built->files},
         {"folders", built->folders},
         {"length_bytes", built->lengthBytes},
         {"free_bytes", built->freeBytes}};
  putPath(j, "path", args.path);
  if (args.json)
    print(console, j);
  else
    console.out << say("stand-in drive in %1: %2, %3 to be counted, %4 free",
                       {escapePath(args.path), words().files(built->files), words().bytes(built->lengthBytes),
                        words().bytes(built->freeBytes)})
                << '\n';
  return Exit::done;
}

}  // namespace zt::cli
