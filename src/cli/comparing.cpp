// SPDX-License-Identifier: GPL-3.0-or-later
// compare, history
#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <fstream>
#include <limits>
#include <ostream>

#include "cli/verbs.h"
#include "core/history/comparison.h"
#include "core/history/groups.h"
#include "core/job/readings.h"
#include "core/os/paths.h"
#include "core/query/answer.h"
#include "core/survey/files/exchange.h"

namespace zt::cli {

namespace {

/// A job, or a survey that was exported, as a job in memory.
Result<std::unique_ptr<Job>> openEither(Console& console, const std::string& path) {
  if (!exchangeFormOf(path)) return Job::open(console.workshop, path);
  const auto survey = readExported(path, "compare");
  if (!survey) return tl::unexpected(survey.error());
  return Job::createImported(console.workshop, *survey, {});
}

/// Both sides of a comparison.
struct Sides {
  std::unique_ptr<Job> before, after;
  const Survey& was() const { return *before->surveys().survey(); }
  const Survey& is() const { return *after->surveys().survey(); }
};

Json sumsJson(const ChangeSums& s) {
  return {{"came_bytes", s.came},        {"went_bytes", s.went},        {"grew_bytes", s.grew},
          {"shrank_bytes", s.shrank},    {"moved_in_bytes", s.movedIn}, {"moved_out_bytes", s.movedOut},
          {"changed_entries", s.entries}};
}

Json rowJson(const Sides& sides, const ChangeRow& row) {
  Json j = sumsJson(row.sums);
  j["change"] = name(row.change);
  j["before_bytes"] = row.before;
  j["after_bytes"] = row.after;
  j["delta_bytes"] = row.delta();
  putPath(j, "path", pathOf(sides.was(), sides.is(), row));
  if (row.moved != noNode && row.is != noNode) putPath(j, "moved_from", sides.was().tree.path(row.moved));
  if (row.moved != noNode && row.is == noNode) putPath(j, "moved_to", sides.is().tree.path(row.moved));
  return j;
}

Json sideJson(const Survey& s) {
  Json j{{"drive", s.driveId},
         {"when_ns", s.finished},
         {"entries", s.tree.entries()},
         {"occupied_bytes", s.tree.totals(0).occupied},
         {"free_bytes", s.usage.available}};
  putPath(j, "root", s.root);
  return j;
}

/// Rows as they are shown: down to a depth, of each folder those that changed most.
template <class Each>
void eachShown(const Comparison& c, std::size_t depth, std::size_t top, Each each) {
  struct Open {
    std::uint32_t row;
    std::size_t depth;
  };
  std::vector<Open> open{{0, 0}};
  while (!open.empty()) {
    const Open now = open.back();
    open.pop_back();
    const ChangeRow& row = c.rows[now.row];
    each(row, now.depth);
    if (now.depth >= depth) continue;
    const auto shown =
        top == 0 ? row.children : std::min<std::uint32_t>(row.children, static_cast<std::uint32_t>(top));
    for (std::uint32_t k = shown; k-- > 0;) open.push_back({row.firstChild + k, now.depth + 1});
  }
}

Json groupsJson(const Sides& sides, GroupBy by) {
  Json list = Json::array();
  for (const GroupChange& g :
       compareGroups(*sides.before->surveys().context(), *sides.after->surveys().context(), by))
    list.push_back({{"name", g.group},
                    {"before_bytes", g.before},
                    {"after_bytes", g.after},
                    {"before_files", g.filesBefore},
                    {"after_files", g.filesAfter}});
  return list;
}

/// Entries of the later survey that came, or are not what they were.
std::vector<bool> cameSince(const Comparison& c, const SurveyTree& after) {
  std::vector<bool> since(after.size(), false);
  for (const ChangeRow& row : c.rows)
    if (row.change != Change::within && row.is != noNode) since[row.is] = true;
  std::vector<bool> came(after.size(), false);
  for (const ChangeRow& row : c.rows)
    if (row.change == Change::came) came[row.is] = true;
  for (NodeId node = 1; node < after.size(); ++node)
    if (!after.isGone(node) && came[after.parent(node)]) came[node] = since[node] = true;
  return since;
}

int tellSince(Console& console, const Arguments& args, const Sides& sides, const Comparison& c) {
  const FindContext& context = *sides.after->surveys().context();
  const auto question = parseQuestion(args.question, theirQuestion(context));
  if (!question) return report(console, question.error());
  std::vector<NodeId> found = answer(context, *question, console.stop);
  const std::vector<bool> since = cameSince(c, context.tree);
  std::erase_if(found, [&](NodeId node) { return !since[node]; });
  const std::size_t rows = args.top == 0 ? found.size() : std::min(args.top, found.size());
  sortList(context, found, ListColumn::occupied, true, rows);
  const Bytes occupied = context.gain.occupiedOf(context.gain.outermost(found));
  if (args.json) {
    Json entries = Json::array();
    for (std::size_t i = 0; i < rows; ++i) {
      Json j{{"occupied_bytes", context.tree.weight(found[i])}, {"folder", context.tree.isFolder(found[i])}};
      putPath(j, "path", context.tree.path(found[i]));
      entries.push_back(std::move(j));
    }
    print(console, {{"found", found.size()}, {"occupied_bytes", occupied}, {"entries", std::move(entries)}});
    return Exit::done;
  }
  for (std::size_t i = 0; i < rows; ++i)
    console.out << column(context.tree.weight(found[i])) << "  " << escapePath(context.tree.path(found[i]))
                << '\n';
  console.out << say("%1 came or changed since, %2 occupied together",
                     {words().number(found.size()), words().bytes(occupied)})
              << '\n';
  return Exit::done;
}

std::string csvField(std::string text) {
  for (std::size_t at = 0; (at = text.find('"', at)) != std::string::npos; at += 2) text.insert(at, 1, '"');
  return "\"" + text + "\"";
}

/// RFC 4180; every row there is.
int writeCsv(Console& console, const Arguments& args, const Sides& sides, const Comparison& c) {
  if (exists(args.output)) return report(console, Error{Errc::taken, "compare", args.output, 0, {}});
  std::ofstream out(args.output, std::ios::binary);
  if (!out) return report(console, failErrno("compare", args.output, errno).value());
  out << "path,change,before_bytes,after_bytes,delta_bytes,came_bytes,went_bytes,grew_bytes,shrank_bytes\r\n";
  for (const ChangeRow& row : c.rows)
    // "./" before it, so that no spreadsheet takes a name for a formula.
    out << csvField("./" + escapePath(pathOf(sides.was(), sides.is(), row))) << ',' << name(row.change) << ','
        << row.before << ',' << row.after << ',' << row.delta() << ',' << row.sums.came << ','
        << row.sums.went << ',' << row.sums.grew << ',' << row.sums.shrank << "\r\n";
  out.close();
  if (!out) {
    const auto why = failErrno("compare", args.output, errno == 0 ? EIO : errno);
    std::remove(args.output.c_str());  // a part of it is none
    return report(console, why.value());
  }
  console.err << say("%1 written to %2", {words().rows(c.rows.size()), args.output}) << '\n';
  return Exit::done;
}

void printComparison(Console& console, const Arguments& args, const Sides& sides, const Comparison& c) {
  console.out << words().date(sides.was().finished) << " → " << words().date(sides.is().finished) << ": "
              << words().changeLine(c) << '\n';
  if (!c.byIdentity)
    console.out << say("By names alone: the two are not of one drive, or one was imported.") << '\n';
  eachShown(c, args.depth, args.top, [&](const ChangeRow& row, std::size_t depth) {
    console.out << signedColumn(row.delta()) << "  " << std::string(depth * 2, ' ')
                << escapePath(depth == 0 ? "/" : pathOf(sides.was(), sides.is(), row));
    if (row.change != Change::within) console.out << "  " << words().change(row.change);
    if (row.moved != noNode)
      console.out << say(row.is != noNode ? "; was %1" : "; now %1",
                         {escapePath((row.is != noNode ? sides.was() : sides.is()).tree.path(row.moved))});
    console.out << '\n';
  });
  for (int i = 0; i < groupings; ++i) {
    const auto by = static_cast<GroupBy>(i);
    console.out << words().grouping(by) << ":";
    std::size_t told = 0;
    for (const GroupChange& g :
         compareGroups(*sides.before->surveys().context(), *sides.after->surveys().context(), by))
      if (g.before != g.after && told++ < 5)
        console.out << (told == 1 ? " " : ", ") << g.group << " "
                    << words().signedBytes(static_cast<SignedBytes>(g.after) -
                                           static_cast<SignedBytes>(g.before));
    console.out << (told == 0 ? " " + say("nothing changed") : std::string()) << '\n';
  }
}

}  // namespace

int compareVerb(Console& console, const Arguments& args) {
  Sides sides;
  for (auto [path, side] : {std::pair(&args.path, &sides.before), std::pair(&args.other, &sides.after)}) {
    auto job = openEither(console, *path);
    if (!job) return report(console, job.error());
    if (!(*job)->surveys().survey()) return report(console, Error{Errc::notThere, "survey", *path, 0, {}});
    *side = std::move(*job);
  }
  const auto compared = compareSurveys(sides.was(), sides.is(), console.stop);
  if (!compared) return report(console, compared.error());
  if (!args.output.empty()) return writeCsv(console, args, sides, *compared);
  if (!args.question.empty()) return tellSince(console, args, sides, *compared);
  if (!args.json) return printComparison(console, args, sides, *compared), Exit::done;
  Json rows = Json::array(), moves = Json::array();
  eachShown(*compared, args.depth, args.top,
            [&](const ChangeRow& row, std::size_t) { rows.push_back(rowJson(sides, row)); });
  for (const Move& move : compared->moves) {
    if (args.top > 0 && moves.size() >= args.top) break;
    Json j{{"bytes", move.bytes}};
    putPath(j, "from", sides.was().tree.path(move.was));
    putPath(j, "to", sides.is().tree.path(move.is));
    moves.push_back(std::move(j));
  }
  Json all{{"before", sideJson(sides.was())},
           {"after", sideJson(sides.is())},
           {"by_identity", compared->byIdentity},
           {"delta_bytes", compared->rows[0].delta()},
           {"unchanged_entries", compared->same},
           {"sums", sumsJson(compared->rows[0].sums)},
           {"rows", std::move(rows)},
           {"moves", std::move(moves)}};
  for (int i = 0; i < groupings; ++i)
    all[std::string(name(static_cast<GroupBy>(i))) + "s"] = groupsJson(sides, static_cast<GroupBy>(i));
  print(console, all);
  return Exit::done;
}

namespace {

/// Which known drive is meant: by its id, its name, or a place on it. Empty: none such.
std::string driveNamed(Console& console, const std::vector<KnownDrive>& known, const std::string& asked) {
  for (const KnownDrive& d : known)
    if (d.id == asked || (!d.title.empty() && d.title == asked)) return d.id;
  const auto path = canonicalPath(asked);
  if (!path) return {};
  const auto drive = driveOf(console.workshop, *path);
  return drive ? drive->id : std::string();
}

/// Free bytes that should stay: by the rule that asks for most.
std::optional<Bytes> headroomOf(Console& console, const KnownDrive& known) {
  const auto all = listDrives(console.workshop);
  if (!all) return std::nullopt;
  for (const Drive& d : *all) {
    if (d.id != known.id) continue;
    Bytes most = 0;
    for (const Target& t : headroomRules(d)) most = std::max(most, t.bytes);
    return most;
  }
  return std::nullopt;
}

Json forecastJson(const Forecast& f) {
  const auto when = [](const std::optional<TimeNs>& time) { return time ? Json(*time) : Json(); };
  return {{"below_now", f.below},
          {"likely_ns", when(f.likely)},
          {"earliest_ns", when(f.earliest)},
          {"latest_ns", when(f.latest)}};
}

Json trendJson(const Trend& t) {
  static constexpr const char* lacks[] = {"nothing", "visits", "time"};
  return {{"lacks", lacks[static_cast<int>(t.lacks)]},
          {"bytes_a_day", static_cast<std::int64_t>(t.perDay)},
          {"lowest_bytes_a_day", static_cast<std::int64_t>(t.lowest)},
          {"highest_bytes_a_day", static_cast<std::int64_t>(t.highest)},
          {"days", t.days},
          {"left_out", t.leftOut}};
}

Json visitJson(Register& visits, const Visit& v) {
  Json j{{"when_ns", v.when},    {"what", name(v.kind)},         {"free_bytes", v.free},
         {"job", v.job},         {"capacity_bytes", v.capacity}, {"entries", v.entries},
         {"rose_bytes", v.rose}, {"promised_bytes", v.promised}, {"whole_drive", v.wholeDrive}};
  putPath(j, "root", v.root);
  putPath(j, "file", v.file);
  Json sums = Json::array();
  for (const VisitSum& sum : visits.sums(v)) {
    Json s{{"by", sum.by}, {"bytes", sum.bytes}};
    putPath(s, "name", sum.name);
    sums.push_back(std::move(s));
  }
  j["sums"] = std::move(sums);
  return j;
}

void printHistory(Console& console, const KnownDrive& drive, const std::vector<Visit>& visits) {
  const TimeNs now = console.workshop.clock->now();
  const Trend trend = trendOf(readingsOf(visits), now);
  console.out << (drive.title.empty() ? drive.id : drive.title) << "  " << drive.fsType << ", "
              << words().bytes(drive.capacity) << '\n';
  for (const Visit& v : visits) {
    console.out << "  " << words().date(v.when) << "  "
                << say("%1 free  %2", {column(v.free), words().visitKind(v.kind)});
    if (v.kind != VisitKind::measured) console.out << " " << words().signedBytes(v.rose);
    console.out << '\n';
  }
  console.out << "  " << words().trend(trend) << '\n';
  if (trend.leftOut > 0)
    console.out << "  "
                << say("%1 left out: their time has not come yet; some clock was wrong",
                       {words().number(trend.leftOut)})
                << '\n';
  const auto line = [&](Bytes bytes, const std::string& what) {
    const std::string text = words().forecast(trend, whenAt(trend, bytes), what, now);
    if (!text.empty()) console.out << "  " << text << '\n';
  };
  if (const auto headroom = headroomOf(console, drive)) line(*headroom, say("headroom gone"));
  line(0, say("full"));
}

Json historyJson(Console& console, const KnownDrive& drive, const std::vector<Visit>& visits) {
  const Trend trend = trendOf(readingsOf(visits), console.workshop.clock->now());
  Json j{{"id", drive.id},           {"title", drive.title},
         {"fs_type", drive.fsType},  {"capacity_bytes", drive.capacity},
         {"first_ns", drive.first},  {"last_ns", drive.last},
         {"trend", trendJson(trend)}};
  j["visits"] = Json::array();
  for (const Visit& v : visits) j["visits"].push_back(visitJson(*console.workshop.visits, v));
  j["full"] = trend.lacks == Trend::Lacks::nothing ? forecastJson(whenAt(trend, 0)) : Json();
  const auto headroom = headroomOf(console, drive);
  j["headroom_bytes"] = headroom ? Json(*headroom) : Json();
  j["headroom_gone"] =
      headroom && trend.lacks == Trend::Lacks::nothing ? forecastJson(whenAt(trend, *headroom)) : Json();
  return j;
}

}  // namespace

int historyVerb(Console& console, const Arguments& args) {
  if (!console.workshop.visits)
    return report(console, Error{Errc::unsupported, "register", {}, 0, "no register"});
  Register& visits = *console.workshop.visits;
  auto known = visits.drives();
  if (!known) return report(console, known.error());
  if (!args.drive.empty()) {
    const std::string id = driveNamed(console, *known, args.drive);
    std::erase_if(*known, [&](const KnownDrive& d) { return d.id != id; });
    if (known->empty()) return report(console, Error{Errc::notThere, "history", args.drive, 0, {}});
  }
  if (args.forget) {
    const auto gone = visits.forgetVisits(known->front().id, std::numeric_limits<TimeNs>::max());
    if (!gone) return report(console, gone.error());
    if (args.json)
      print(console, {{"forgotten", *gone}});
    else
      console.out << say("%1 visits forgotten", {words().number(*gone)}) << '\n';
    return Exit::done;
  }
  Json list = Json::array();
  for (const KnownDrive& drive : *known) {
    const auto all = visits.visits(drive.id);
    if (!all) return report(console, all.error());
    if (args.json)
      list.push_back(historyJson(console, drive, *all));
    else
      printHistory(console, drive, *all);
  }
  if (args.json)
    print(console, {{"drives", std::move(list)}});
  else if (known->empty())
    console.out << say("no drive was visited yet") << '\n';
  return Exit::done;
}

}  // namespace zt::cli
