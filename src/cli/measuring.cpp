// SPDX-License-Identifier: GPL-3.0-or-later
// drives, measure, tree, finds, demo
#include <algorithm>
#include <iomanip>
#include <iostream>

#include "cli/verbs.h"
#include "core/job/outcome_json.h"
#include "core/os/paths.h"
#include "core/plan/plan_json.h"
#include "demo/builder.h"

namespace zt::cli {

using Json = nlohmann::json;

int report(Console& console, const Error& error) {
  console.err << "ztally: " << sentence(error) << '\n';
  return exitFor(error);
}

void print(Console& console, const Json& json) {
  console.out << json.dump(2, ' ', false, Json::error_handler_t::replace) << '\n';
}

std::string column(Bytes bytes) {
  const std::string text = formatBytes(bytes);
  return std::string(text.size() < 10 ? 10 - text.size() : 0, ' ') + text;
}

std::unique_ptr<Job> openJob(Console& console, const Arguments& args, int& status) {
  auto job = Job::open(console.system, args.job);
  if (!job) {
    status = report(console, job.error());
    return nullptr;
  }
  for (const auto& r : (*job)->recovered())
    console.err << "ztally: a run was cut short; " << escapePath(r.path) << ": " << name(r.state) << '\n';
  if ((*job)->recoveryWaits())
    console.err
        << "ztally: a run was cut short; its drive is not what was measured, so nothing was touched\n";
  if ((*job)->survey() == nullptr) {
    console.err << "ztally: nothing has been measured in this job yet\n";
    status = Exit::failed;
    return nullptr;
  }
  return std::move(*job);
}

int drives(Console& console, const Arguments& args) {
  const auto all = listDrives(console.system);
  if (!all) return report(console, all.error());
  Json list = Json::array();
  for (const Drive& d : *all) {
    const auto urgency = urgencyOf(d, headroomRules(d));
    Json j{{"id", d.id},
           {"label", d.label},
           {"fs_type", d.fsType},
           {"role", name(d.role)},
           {"kind", name(d.kind)},
           {"system", name(d.family)},
           {"system_name", d.systemName},
           {"capacity_bytes", d.usage.capacity},
           {"free_bytes", d.usage.available},
           {"reserved_bytes", d.usage.reserved()},
           {"used_bytes", d.usage.used()},
           {"inodes", d.usage.inodes},
           {"inodes_free", d.usage.inodesFree},
           {"read_only", d.readOnly},
           {"urgency", name(urgency)}};
    putPath(j, "target", d.target);
    putPath(j, "source", d.source);
    j["also_at"] = Json::array();
    for (const auto& at : d.alsoAt) j["also_at"].push_back(escapePath(at));
    list.push_back(std::move(j));
    if (!args.json)
      console.out << escapePath(d.target) << "  " << (d.label.empty() ? "" : escapePath(d.label) + "  ")
                  << name(d.role) << ", " << name(d.kind) << ", " << d.fsType << "\n  "
                  << formatBytes(d.usage.available) << " free of " << formatBytes(d.usage.capacity)
                  << ", reserved " << formatBytes(d.usage.reserved()) << ", " << d.usage.inodesFree << " of "
                  << d.usage.inodes << " inodes free; " << name(urgency) << '\n';
  }
  if (args.json) print(console, {{"drives", std::move(list)}});
  return Exit::done;
}

namespace {

class LineProgressBar final : public ProgressSink {
public:
  explicit LineProgressBar(Console& console) : console_(console) {}
  void report(const Progress& p) override {
    if (!console_.progress) return;
    console_.err << "\r" << formatBytes(p.doneBytes);
    if (p.totalBytes > 0) console_.err << " of " << formatBytes(p.totalBytes) << " accounted";
    console_.err << ", " << p.doneItems << " entries   " << std::flush;
    shown_ = true;
  }
  ~LineProgressBar() override {
    if (shown_) console_.err << '\n';
  }

private:
  Console& console_;
  bool shown_ = false;
};

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

Json surveyJson(const Survey& s) {
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
         {"access_times_at_risk", s.timesAtRisk},
         {"partial", s.partial},
         {"fs_type", s.fsType},
         {"whole_drive", s.wholeDrive},
         {"seconds", static_cast<double>(s.finished - s.started) / 1e9},
         {"finished_ns", s.finished},
         {"statement", statementJson(s.statement)}};
  putPath(j, "root", s.root);
  return j;
}

void printSurvey(Console& console, const Survey& s) {
  console.out << "Statement of " << escapePath(s.root) << " (1 GB = 10^9 B)\n";
  for (std::size_t i = 0; i < statementLines; ++i) {
    const SignedBytes bytes = s.statement.lines[i];
    const bool always = i < 3 || i + 1 == statementLines;
    if (bytes == 0 && !always) continue;
    console.out << "  " << std::left << std::setw(16) << name(static_cast<StatementLine>(i)) << std::right
                << std::setw(12) << formatSigned(bytes) << "  " << words(s.statement.sources[i]) << '\n';
    for (const StatementPart& part : s.statement.parts)
      if (static_cast<std::size_t>(part.line) == i) console.out << "      " << words(part) << '\n';
  }
  console.out << "  " << std::left << std::setw(16) << "capacity" << std::right << std::setw(12)
              << formatBytes(s.statement.capacity) << "\n"
              << s.tree.entries() << " entries in " << s.tree.folderCount() << " folders";
  if (!s.exceptions.empty()) console.out << "; " << s.exceptions.size() << " could not be looked into";
  if (s.partial) console.out << "; stopped early: this is partial";
  console.out << '\n';
}

Result<std::unique_ptr<Job>> jobToMeasure(Console& console, const Arguments& args) {
  if (!args.job.empty() && exists(args.job)) {
    auto job = Job::open(console.system, args.job);
    if (!job) return job;
    const auto named = canonicalPath(args.path);
    if (!named) return tl::unexpected(named.error());
    if ((*job)->site().opened() != *named)
      return fail(Errc::taken, "job-file", args.job, "it belongs to " + escapePath((*job)->site().opened()));
    return job;
  }
  return Job::create(console.system, args.path, args.standIn, {args.job, args.jobOnDrive});
}

}  // namespace

int measureVerb(Console& console, const Arguments& args) {
  for (const auto& amount : args.targets)
    if (const auto parsed = parseAmount(amount, Bytes{1} << 50); !parsed)
      return report(console, parsed.error());
  auto job = jobToMeasure(console, args);
  if (!job) return report(console, job.error());
  for (const auto& amount : args.targets) {
    const auto& there = (*job)->targets();
    if (std::any_of(there.begin(), there.end(),
                    [&](const Target& t) { return t.amount == amount && t.chosen; }))
      continue;
    if (auto added = (*job)->addTarget({}, amount); !added) return report(console, added.error());
  }
  Job::MeasureOptions options;
  options.threads = args.threads;
  options.everything = args.everything;
  {
    LineProgressBar bar(console);
    const auto measured = args.folder.empty()
                              ? (*job)->measure(options, console.stop, &bar)
                              : (*job)->measureAgain(unescapePath(args.folder), options, console.stop, &bar);
    if (!measured) return report(console, measured.error());
  }
  if (const auto& refused = (*job)->rightsProblem())
    console.err << "ztally: measured without the rights asked for: " << sentence(*refused) << '\n';
  const Survey& survey = *(*job)->survey();
  if (args.json)
    print(console, surveyJson(survey));
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
  const Survey& s = *job->survey();
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

int finds(Console& console, const Arguments& args) {
  for (const auto& kind : args.kinds) {
    const bool known =
        kind == "large" || kind == "old" || kind == "dormant" || kind == "trash" || kind == "picked";
    if (!known) return report(console, Error{Errc::badInput, "kind", {}, 0, kind});
  }
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  Json list = Json::array();
  std::size_t shown = 0;
  for (const Find& f : *job->finds()) {
    if (!args.kinds.empty() &&
        std::find(args.kinds.begin(), args.kinds.end(), name(f.kind)) == args.kinds.end())
      continue;
    if (!args.json && args.top != 0 && shown++ >= args.top) continue;
    if (args.json) {
      Json j = toJson(f);
      j["title"] = title(f);
      j["why"] = why(f);
      list.push_back(std::move(j));
    } else {
      console.out << column(f.gain.sure) << "  " << std::left << std::setw(13) << words(f.standing)
                  << title(f) << "\n            " << f.id << ": " << why(f) << '\n';
    }
  }
  if (args.json) print(console, {{"finds", std::move(list)}});
  return Exit::done;
}

int demo(Console& console, const Arguments& args) {
  const auto built = zt::demo::build(args.path, console.system.clock.now());
  if (!built) return report(console, built.error());
  Json j{{"files", built->files},
         {"folders", built->folders},
         {"length_bytes", built->lengthBytes},
         {"free_bytes", built->freeBytes}};
  putPath(j, "path", args.path);
  if (args.json)
    print(console, j);
  else
    console.out << "stand-in drive in " << escapePath(args.path) << ": " << built->files << " files, "
                << formatBytes(built->lengthBytes) << " to be counted, " << formatBytes(built->freeBytes)
                << " free\n";
  return Exit::done;
}

}  // namespace zt::cli
