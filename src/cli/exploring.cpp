// SPDX-License-Identifier: GPL-3.0-or-later
// list, export, import
#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdio>
#include <fstream>
#include <iomanip>
#include <iostream>

#include "cli/verbs.h"
#include "core/os/paths.h"
#include "core/query/answer.h"
#include "core/survey/files/exchange.h"

namespace zt::cli {

namespace {

ListColumn columnOf(std::string_view name) {
  static constexpr std::array<std::string_view, listColumns> names{"name",  "occupied", "length", "exclusive",
                                                                   "files", "newest",   "kind",   "owner"};
  return static_cast<ListColumn>(std::find(names.begin(), names.end(), name) - names.begin());
}

Json entryJson(const FindContext& c, NodeId id) {
  const auto value = [&](ListColumn column) { return columnValue(c, id, column); };
  const bool folder = c.tree.isFolder(id);
  Json j{{"folder", folder},
         {"kind", name(c.kind[id])},
         {"standing", name(c.standing[id])},
         {"occupied_bytes", value(ListColumn::occupied)},
         {"length_bytes", value(ListColumn::length)},
         {"exclusive_bytes", value(ListColumn::exclusive)},
         {"files", value(ListColumn::files)},
         {"owner", c.tree.owner(id)},
         {"newest_ns", folder ? c.tree.totals(id).newest : c.tree.modified(id)}};
  if (const auto owner = c.options.owners.name(c.tree.owner(id))) j["owner_name"] = *owner;
  putPath(j, "path", c.tree.path(id));
  return j;
}

}  // namespace

int list(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  const FindContext& c = *job->surveys().context();
  const auto question = parseQuestion(args.question, theirQuestion(c));
  if (!question) return report(console, question.error());
  std::vector<NodeId> found = answer(c, *question, console.stop);
  const ListColumn sorted = columnOf(args.sort);
  const std::size_t rows = args.top == 0 ? found.size() : std::min(args.top, found.size());
  sortList(c, found, sorted, sorted != ListColumn::name && sorted != ListColumn::kind, rows);
  std::vector<NodeId> outer = c.gain.outermost(found);
  const Bytes occupied = c.gain.occupiedOf(outer);
  const GainBounds freed = c.gain.of(outer);
  if (args.json) {
    Json entries = Json::array();
    for (std::size_t i = 0; i < rows; ++i) entries.push_back(entryJson(c, found[i]));
    print(console, {{"found", found.size()},
                    {"occupied_bytes", occupied},
                    {"exclusive_bytes", freed.atMost},
                    {"sure_bytes", freed.sure},
                    {"understood", words().understood(*question)},
                    {"entries", std::move(entries)}});
    return Exit::done;
  }
  for (std::size_t i = 0; i < rows; ++i)
    console.out << column(columnValue(c, found[i], ListColumn::occupied)) << "  "
                << escapePath(c.tree.path(found[i])) << (c.tree.isFolder(found[i]) ? "/" : "") << '\n';
  console.out << say("Asked for: %1", {question->empty() ? say("everything") : words().understood(*question)})
              << '\n'
              << say("%1 found, %2 occupied together, %3 freed if all of them go",
                     {words().number(found.size()), words().bytes(occupied), words().bytes(freed.atMost)});
  if (freed.sure < freed.atMost) console.out << say(" (sure: %1)", {words().bytes(freed.sure)});
  console.out << '\n';
  return Exit::done;
}

Result<SurveyPtr> readExported(const std::string& path, std::string_view operation) {
  const auto form = exchangeFormOf(path);
  if (!form) return fail(Errc::badInput, operation, path, "*.jsonl.zst or *.csv");
  std::ifstream in(path, std::ios::binary);
  if (!in) return fail(Errc::notThere, operation, path);
  auto survey = importSurvey(*form, [&]() -> std::optional<std::string> {
    std::string piece(1 << 18, '\0');
    in.read(piece.data(), static_cast<std::streamsize>(piece.size()));
    if (in.bad()) return std::nullopt;
    piece.resize(static_cast<std::size_t>(in.gcount()));
    return piece;
  });
  if (!survey) survey.error().path = path;
  return survey;
}

int exportVerb(Console& console, const Arguments& args) {
  const auto form = exchangeFormOf(args.output);
  if (!form) return report(console, Error{Errc::badInput, "export", args.output, 0, "*.jsonl.zst or *.csv"});
  if (exists(args.output)) return report(console, Error{Errc::taken, "export", args.output, 0, {}});
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  std::ofstream out(args.output, std::ios::binary);
  if (!out) return report(console, failErrno("export", args.output, errno).value());
  const auto done = exportSurvey(*job->surveys().survey(), *form, [&](std::string_view bytes) {
    return static_cast<bool>(out.write(bytes.data(), static_cast<std::streamsize>(bytes.size())));
  });
  out.close();
  if (!done || !out) {
    const auto why = failErrno("export", args.output, errno == 0 ? EIO : errno);
    std::remove(args.output.c_str());  // a part of an export is none
    return report(console, why.value());
  }
  if (args.json)
    print(console,
          {{"entries", job->surveys().survey()->tree.entries()}, {"output", escapePath(args.output)}});
  else
    console.out << say("%1 written to %2",
                       {words().entries(job->surveys().survey()->tree.entries()), args.output})
                << '\n';
  return Exit::done;
}

int importVerb(Console& console, const Arguments& args) {
  const auto survey = readExported(args.path, "import");
  if (!survey) return report(console, survey.error());
  const auto job = Job::createImported(console.workshop, *survey, args.job);
  if (!job) return report(console, job.error());
  if (args.json)
    print(console, {{"entries", (*survey)->tree.entries()}, {"job", escapePath(args.job)}});
  else
    console.out << say("%1 imported; the job can be explored, not reclaimed by",
                       {words().entries((*survey)->tree.entries())})
                << '\n';
  return Exit::done;
}

}  // namespace zt::cli
