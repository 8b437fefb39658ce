// SPDX-License-Identifier: GPL-3.0-or-later
// sheet
#include <array>
#include <cerrno>
#include <cstdio>
#include <fstream>
#include <ostream>

#include "cli/verbs.h"
#include "core/os/paths.h"
#include "core/report/page_program.h"
#include "core/report/sheet_facts.h"

namespace zt::cli {

namespace {

std::string endingOf(const std::string& file) {
  const std::string_view base = baseName(file);
  const auto dot = base.rfind('.');
  return dot == std::string_view::npos ? std::string() : std::string(base.substr(dot));
}

/// Whole or not at all, and never over anything.
Result<void> writeNew(const std::string& file, const std::string& text) {
  if (exists(file)) return fail(Errc::taken, "sheet", file);
  std::ofstream out(file, std::ios::binary);
  if (!out) return failErrno("sheet", file, errno);
  out << text;
  out.close();
  if (out) return {};
  const int why = errno == 0 ? EIO : errno;
  std::remove(file.c_str());
  return failErrno("sheet", file, why);
}

Result<void> writeSheet(const std::string& file, const SheetFacts& facts, bool withAnnex) {
  const SheetDocument document = words().sheet(facts, withAnnex);
  const std::string ending = endingOf(file);
  if (ending == ".html") return writeNew(file, toHtml(document));
  if (ending == ".md") return writeNew(file, toMarkdown(document));
  if (ending == ".csv") return writeNew(file, toCsv(document));
  if (ending == ".json")
    return writeNew(file, toJson(facts).dump(2, ' ', false, Json::error_handler_t::replace) + "\n");
  if (ending != ".pdf") return fail(Errc::badInput, "sheet", file, "*.html, *.pdf, *.md, *.csv or *.json");
  if (exists(file)) return fail(Errc::taken, "sheet", file);
  return setAsPdf(toHtml(document), file);
}

void remember(Console& console, const Arguments& args) {
  if (!console.workshop.visits) return;
  if (!args.shop.empty()) (void)console.workshop.visits->say("shop-name", args.shop);
  const auto logo = canonicalPath(args.logo);
  if (!args.logo.empty() && logo) (void)console.workshop.visits->say("shop-logo", *logo);
}

}  // namespace

int sheetVerb(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  auto facts = sheetFacts(*job, console.workshop);
  if (!facts) return report(console, facts.error());
  if (!args.logo.empty()) {
    auto logo = logoFrom(args.logo);
    if (!logo) return report(console, logo.error());
    facts->shop.logo = std::move(*logo);
  }
  if (!args.shop.empty()) facts->shop.name = args.shop;
  if (args.remember) remember(console, args);
  if (const auto done = writeSheet(args.output, *facts, !args.plain); !done)
    return report(console, done.error());
  if (args.json) {
    Json j = toJson(*facts);
    putPath(j, "output", args.output);
    print(console, j);
  } else {
    console.out << say("written to %1", {escapePath(args.output)}) << '\n';
  }
  return Exit::done;
}

}  // namespace zt::cli
