// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/report/sheet_facts.h"

#include <algorithm>
#include <array>
#include <fstream>
#include <map>

#include "core/finds/evidence.h"
#include "core/job/outcome_json.h"
#include "core/job/readings.h"
#include "core/os/paths.h"

namespace zt {

namespace {

constexpr std::size_t mostLogo = std::size_t{1} << 20;

std::string howOf(const Find& f, const KnownPlaces& places) {
  if (std::string command = textIn(f, "command"); !command.empty()) return command;
  const Place* place = placeOf(f, places);
  if (place == nullptr) return {};
  return place->command.empty() ? place->words : place->command;
}

void takeProof(SheetFacts& facts, const Proof& proof) {
  facts.proved = proof.when;
  facts.freeBefore = proof.freeBefore;
  facts.freeAfter = proof.freeAfter;
  facts.done = proof.lines;
  facts.gained = proof.actual;
  facts.byOthers = proof.byOthers;
  facts.heldBytes = proof.held;
}

/// Each folder on another drive, with what went there.
void takeMoved(SheetFacts& facts, const std::vector<JournalRecord>& elsewhere, const std::string& job) {
  std::map<PathBytes, MovedThere> byFolder;
  for (const JournalRecord& r : elsewhere)
    for (const char* where : {"to", "second"}) {
      const PathBytes to = r.parameters.place(where);
      if (to.empty()) continue;
      MovedThere& there = byFolder[joinPath(to, "moved-" + job.substr(0, 8))];
      there.paths.push_back(r.path);
      there.bytes += r.occupied;
    }
  for (auto& [folder, there] : byFolder) {
    there.to = folder;
    std::sort(there.paths.begin(), there.paths.end());
    facts.moved.push_back(std::move(there));
  }
}

void takeToDo(SheetFacts& facts, Job& job, const KnownPlaces& places) {
  for (const PlanLine& line : job.planBook().plan().lines) {
    if (!line.enabled || line.step->touches) continue;
    const Find* find = job.surveys().find(line.id);
    StillToDo one{StillToDo::Kind::advised, line.kind, line.place, line.gain.atMost, {}, {}, {}};
    if (line.items.size() == 1) one.path = line.items[0].path;
    if (find != nullptr) one.how = howOf(*find, places);
    facts.toDo.push_back(std::move(one));
  }
  for (const JournalRecord& loan : facts.loans)
    facts.toDo.push_back({StillToDo::Kind::payBack, loan.action, loan.path, loan.occupied, {}, {}, {}});
  for (const JournalRecord& held : facts.held)
    facts.toDo.push_back({StillToDo::Kind::release, held.action, held.path, held.occupied, {}, {}, {}});
  if (const auto& report = job.runs().lastReport())
    for (const LineOutcome& line : report->lines)
      for (const JournalRecord& r : line.problems)
        if (r.problem)
          facts.toDo.push_back(
              {StillToDo::Kind::notDone, line.action, r.path, r.occupied, {}, r.problem, r.detail});
  for (const TargetOutlook& t : facts.targets)
    if (!t.met)
      facts.toDo.push_back({StillToDo::Kind::short_,
                            t.target.label,
                            {},
                            static_cast<Bytes>(-t.surplus),
                            t.target.amount,
                            {},
                            {}});
}

}  // namespace

std::string_view name(StillToDo::Kind kind) {
  static constexpr std::array<std::string_view, stillToDoKinds> names{"advised", "pay-back", "release",
                                                                      "not-done", "short"};
  return names[static_cast<std::size_t>(kind)];
}

Result<std::string> logoFrom(const PathBytes& file) {
  std::ifstream in(file, std::ios::binary);
  if (!in) return fail(Errc::notThere, "logo", file);
  std::string bytes(mostLogo + 1, '\0');
  in.read(bytes.data(), static_cast<std::streamsize>(bytes.size()));
  bytes.resize(static_cast<std::size_t>(in.gcount()));
  if (bytes.size() > mostLogo) return fail(Errc::badInput, "logo", file, "1 MB");
  const bool png = bytes.starts_with("\x89PNG\r\n\x1a\n"), jpeg = bytes.starts_with("\xff\xd8\xff");
  if (!png && !jpeg) return fail(Errc::badInput, "logo", file, "PNG or JPEG");
  return bytes;
}

Result<SheetFacts> sheetFacts(Job& job, const Workshop& workshop) {
  const SurveyPtr survey = job.surveys().survey();
  if (!survey) return fail(Errc::notThere, "survey");
  SheetFacts facts;
  const Drive& drive = job.site().drive();
  facts.title = drive.label;
  facts.model = drive.model;
  facts.system = drive.systemName;
  facts.fsType = survey->fsType;
  facts.root = survey->root;
  facts.job = job.store().path();
  facts.written = workshop.clock->now();
  facts.measured = survey->finished;
  facts.capacity = survey->usage.capacity;
  facts.freeBefore = facts.freeAfter = survey->usage.available;
  facts.statement = survey->statement;
  facts.standings = countedOf(*job.surveys().context());
  std::erase_if(facts.standings, [](const VisitSum& sum) { return sum.by != "standing"; });
  facts.wanted = job.planBook().targets();
  std::erase_if(facts.wanted, [](const Target& target) { return !target.chosen; });
  if (job.runs().proof())
    takeProof(facts, *job.runs().proof());
  else
    facts.freeAfter = job.reading().free;
  const auto unproved = job.runs().unproved();
  if (!unproved) return tl::unexpected(unproved.error());
  facts.unproved = *unproved;
  facts.targets = outlook(facts.wanted, facts.freeAfter, {});
  auto held = job.runs().held();
  if (!held) return tl::unexpected(held.error());
  facts.held = std::move(*held);
  auto loans = job.runs().loans();
  if (!loans) return tl::unexpected(loans.error());
  facts.loans = std::move(*loans);
  const auto elsewhere = job.runs().elsewhere();
  if (!elsewhere) return tl::unexpected(elsewhere.error());
  takeMoved(facts, *elsewhere, job.identity());
  takeToDo(facts, job, *workshop.places);
  if (workshop.visits) {
    facts.shop.name = workshop.visits->said("shop-name");
    if (const PathBytes file = workshop.visits->said("shop-logo"); !file.empty())
      if (auto logo = logoFrom(file)) facts.shop.logo = std::move(*logo);
  }
  return facts;
}

Json toJson(const SheetFacts& f) {
  Json j{{"shop", f.shop.name},
         {"drive", f.title},
         {"model", f.model},
         {"system", f.system},
         {"fs_type", f.fsType},
         {"written_ns", f.written},
         {"measured_ns", f.measured},
         {"proved_ns", f.proved},
         {"unproved_lines", f.unproved},
         {"capacity_bytes", f.capacity},
         {"free_before_bytes", f.freeBefore},
         {"free_after_bytes", f.freeAfter},
         {"gained_bytes", f.gained},
         {"by_others_bytes", f.byOthers},
         {"held_bytes", f.heldBytes}};
  putPath(j, "root", f.root);
  putPath(j, "job", f.job);
  j["targets"] = Json::array();
  for (const TargetOutlook& t : f.targets) {
    Json target = toJson(t.target);
    target["met"] = t.met;
    target["surplus_bytes"] = t.surplus;
    j["targets"].push_back(std::move(target));
  }
  j["done"] = Json::array();
  for (const ProofLine& line : f.done) {
    Json one{{"id", line.line},
             {"action", line.action},
             {"kind", line.kind},
             {"items", line.items},
             {"promised_bytes", line.promised.sure},
             {"actual_bytes", line.actual}};
    putPath(one, "example", line.example);
    j["done"].push_back(std::move(one));
  }
  j["moved"] = Json::array();
  for (const MovedThere& there : f.moved) {
    Json one{{"bytes", there.bytes}, {"things", there.paths.size()}};
    putPath(one, "to", there.to);
    j["moved"].push_back(std::move(one));
  }
  j["to_do"] = Json::array();
  for (const StillToDo& one : f.toDo) {
    Json todo{{"kind", name(one.kind)}, {"title", one.title}, {"bytes", one.bytes}, {"how", one.how}};
    if (one.why) todo["why"] = name(*one.why);
    putPath(todo, "path", one.path);
    j["to_do"].push_back(std::move(todo));
  }
  return j;
}

}  // namespace zt
