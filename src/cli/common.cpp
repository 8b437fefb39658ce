// SPDX-License-Identifier: GPL-3.0-or-later
// What all verbs share.
#include <algorithm>
#include <iostream>
#include <set>

#include "cli/verbs.h"
#include "core/job/outcome_json.h"
#include "words/language.h"

namespace zt::cli {

const Words& words() {
  static const Words theirs(numbersOfTheirs(), inTheirLanguage);
  return theirs;
}

Exit exitFor(const Error& error) {
  switch (error.code) {
    case Errc::bedrock:
    case Errc::kept:
    case Errc::lastCopy:
    case Errc::pinned:
    case Errc::asleep:
    case Errc::unclean:
    case Errc::unmet:
    case Errc::conflict:
    case Errc::outsideRoot:
    case Errc::noConsent:
    case Errc::onDrive:
    case Errc::changed:
    case Errc::inUse:
    case Errc::imported:
    case Errc::away:
      return refused;
    case Errc::badInput:
    case Errc::tooMuch:
      return usage;
    default:
      return failed;
  }
}

int report(Console& console, const Error& error) {
  std::string text = error.operation == "question" ? words().notUnderstood(error) : words().error(error);
  if (error.code == Errc::onDrive) text += say("; give another place, or --job-on-drive");
  console.err << "ztally: " << text << '\n';
  return exitFor(error);
}

void ProgressLine::report(const Progress& p) {
  if (!console_.progress) return;
  console_.err << "\r";
  if (p.totalBytes == 0)
    console_.err << words().bytes(p.doneBytes);
  else
    console_.err << say(what_ == Of::reading ? "%1 of %2 read" : "%1 of %2 accounted",
                        {words().bytes(p.doneBytes), words().bytes(p.totalBytes)});
  if (what_ == Of::accounting) console_.err << ", " << words().entries(p.doneItems);
  if (p.totalBytes > p.doneBytes && p.doneBytes > p.totalBytes / 50) {
    const std::chrono::duration<double> gone = std::chrono::steady_clock::now() - begun_;
    const double done = static_cast<double>(p.doneBytes) / static_cast<double>(p.totalBytes);
    const double left = gone.count() * (1 - done) / done;
    if (left > 2)
      console_.err << say(", about %1 s left", {words().number(static_cast<std::uint64_t>(left))});
  }
  console_.err << "   " << std::flush;
  shown_ = true;
}

void ProgressLine::tell(const std::string& line) {
  if (!console_.progress) return;
  console_.err << (shown_ ? "\r" : "") << line << "          \n" << std::flush;
  shown_ = false;
}

ProgressLine::~ProgressLine() {
  if (shown_) console_.err << '\n';
}

void print(Console& console, const Json& json) {
  console.out << json.dump(2, ' ', false, Json::error_handler_t::replace) << '\n';
}

namespace {
/// A letter may take several bytes: those that go on with one begin with the bits 10.
std::size_t lettersIn(const std::string& text) {
  return static_cast<std::size_t>(std::count_if(
      text.begin(), text.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xC0u) != 0x80u; }));
}

std::string rightAligned(const std::string& text) {
  constexpr std::size_t width = 10;
  const std::size_t letters = lettersIn(text);
  return std::string(letters < width ? width - letters : 0, ' ') + text;
}
}  // namespace

QuestionWords theirQuestion(const FindContext& context, std::vector<std::string> findKinds) {
  auto theirs = words().asked(findKinds);
  QuestionWords all = questionWords(context, std::move(findKinds));
  all.theirs = std::move(theirs);
  return all;
}

std::string padded(const std::string& text, std::size_t letters) {
  const std::size_t have = lettersIn(text);
  return text + std::string(have < letters ? letters - have : 1, ' ');
}

std::string columnHead(const std::string& text) {
  return rightAligned(text);
}

std::string column(Bytes bytes) {
  return rightAligned(words().bytes(bytes));
}

std::string signedColumn(SignedBytes bytes) {
  return rightAligned(words().signedBytes(bytes));
}

std::unique_ptr<Job> openJob(Console& console, const Arguments& args, int& status) {
  auto job = Job::open(console.workshop, args.job);
  if (!job) {
    status = report(console, job.error());
    return nullptr;
  }
  for (const auto& r : (*job)->cutShort())
    console.err
        << "ztally: "
        << say("a run was cut short; %1 is where that left it; undo takes it back, reclaim goes on from it",
               {escapePath(r.path)})
        << '\n';
  if ((*job)->site().closed() == Errc::away || (*job)->site().closed() == Errc::changed)
    console.err << "ztally: " << words().problem(*(*job)->site().closed()) << '\n';
  if ((*job)->surveys().survey() == nullptr) {
    console.err << "ztally: " << say("nothing has been measured in this job yet") << '\n';
    status = Exit::failed;
    return nullptr;
  }
  return std::move(*job);
}

Json heldByJson(const FindContext& context, std::span<const Subject> items) {
  const FindContext::Pinned pinned = context.pinned(items);
  Json j{{"points_bytes", pinned.by.byPoints},
         {"points", Json::array()},
         {"with_points_bytes", pinned.helps ? pinned.with : 0},
         {"files_bytes", pinned.by.byFiles},
         {"files", Json::array()},
         {"others_bytes", pinned.by.byOthers}};
  for (std::size_t p = 0; p < pinned.by.points.size(); ++p)
    if (pinned.by.points[p]) j["points"].push_back(context.points[p].id);
  for (const NodeId file : pinned.by.files) j["files"].push_back(escapePath(context.tree.path(file)));
  Bytes open = 0;
  std::set<std::string> holders;
  for (const NodeId file : context.openIn(items)) {
    open += context.tree.weight(file);
    holders.insert(escapePath(context.holderOf(file)));
  }
  j["open_bytes"] = open;
  j["open_by"] = holders;
  return j;
}

Json consentJson(const Consent& consent) {
  Json j = toJson(consent);
  for (std::size_t i = 0; i < consent.lines.size(); ++i)
    j["lines"][i]["text"] = words().consent(consent.lines[i]);
  return j;
}

int askConsent(Console& console, const Consent& consent, bool json, Json more) {
  if (json) {
    more["consent"] = consentJson(consent);
    print(console, more);
    return Exit::refused;
  }
  for (const auto& line : consent.lines)
    console.out << column(line.bytes) << "  " << words().consent(line) << '\n';
  console.out << say("Nothing was changed. To agree, say the same again with --consent %1", {consent.token})
              << '\n';
  return Exit::refused;
}

}  // namespace zt::cli
