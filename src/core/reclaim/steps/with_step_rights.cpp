// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/with_step_rights.h"

#include <algorithm>

#include "core/plan/plan_json.h"
#include "core/reclaim/steps/transfer.h"
#include "core/reclaim/steps/with_file_rights.h"
#include "core/reclaim/steps/with_rights.h"
#include "core/reclaim/told_record.h"

namespace zt {

RightsOrderMaker::RightsOrderMaker(const GuardedDrive& drive)
    : drive_(drive), asks_(drive.fileRights && drive.fileRights->worthAsking()) {}

void RightsOrderMaker::take(std::string_view may, const PathBytes& path, const Identity& identity) {
  order.things.push_back(fileThing(may, path, identity));
}

void RightsOrderMaker::carryOut(const StepKind& step, const PathBytes& path, const Identity& identity,
                                const StepParameters& parameters) {
  if (!order.facts) {
    order.facts = std::make_shared<StepFacts>(StepFacts{drive_.job, drive_.context->options.live, {}, {}});
    for (const LinkedNode& linked : drive_.tree().linked()) links_[linked.node] = &linked;
  }
  constexpr std::size_t mostKeepers = 8;  // one is enough, as long as it is still what was measured
  WholeThing thing{identity, parameters, {}};
  if (const NodeId node = drive_.nodeAt(path); node != noNode) {
    tellAll(node);
    for (const NodeId keeper : drive_.copies ? drive_.copies->keepersOnPaper(node) : std::vector<NodeId>{}) {
      if (thing.keepers.size() == mostKeepers) break;
      tell(keeper);
      thing.keepers.push_back(joinPath(drive_.surveyedAt, drive_.tree().path(keeper)));
    }
  }
  for (const ParameterSpec* where : step.otherDrives())
    if (PathBytes other = parameters.place(where->id); !other.empty())
      if (auto& all = order.facts->others; std::find(all.begin(), all.end(), other) == all.end())
        all.push_back(std::move(other));
  order.things.push_back({step.id, path, toTold(thing)});
}

/// A folder above what was measured; of such nothing is known.
std::uint32_t RightsOrderMaker::folder(std::string_view path) {
  if (path.empty()) return 0;
  if (const auto known = above_.find(PathBytes(path)); known != above_.end()) return known->second;
  EntryStat stat;
  stat.kind = EntryKind::folder;
  const std::uint32_t parent = folder(parentPath(path));
  order.facts->entries.push_back({parent, PathBytes(baseName(path)), stat});
  return above_[PathBytes(path)] = static_cast<std::uint32_t>(order.facts->entries.size());
}

std::uint32_t RightsOrderMaker::tell(NodeId node) {
  if (node == 0) return folder(drive_.surveyedAt);
  if (const auto known = told_.find(node); known != told_.end()) return known->second;
  const std::uint32_t parent = tell(drive_.tree().parent(node));
  order.facts->entries.push_back({parent, PathBytes(drive_.tree().name(node)), statOf(node)});
  return told_[node] = static_cast<std::uint32_t>(order.facts->entries.size());
}

void RightsOrderMaker::tellAll(NodeId top) {
  const SurveyTree& tree = drive_.tree();
  std::vector<NodeId> waiting{top};
  while (!waiting.empty()) {
    const NodeId node = waiting.back();
    waiting.pop_back();
    tell(node);
    if (!tree.isFolder(node)) continue;
    const FolderTotals& t = tree.totals(node);
    for (std::uint32_t i = 0; i < t.children; ++i)
      if (!tree.isGone(t.firstChild + i)) waiting.push_back(t.firstChild + i);
  }
}

EntryStat RightsOrderMaker::statOf(NodeId node) const {
  const SurveyTree& tree = drive_.tree();
  const Identity identity = tree.identity(node);
  EntryStat stat;
  stat.kind = identity.kind;
  stat.inode = identity.inode;
  stat.length = identity.length;
  stat.modified = identity.modified;
  stat.born = timeOfMark(identity.bornMark);
  stat.changed = timeOfMark(identity.changedMark);
  stat.occupied = tree.occupied(node);
  stat.owner = tree.owner(node);
  stat.mayShare = tree.mayShare(node);
  if (const auto linked = links_.find(node); linked != links_.end()) {
    stat.device = linked->second->device;
    stat.links = linked->second->links;
  }
  return stat;
}

std::string toTold(const WholeThing& thing) {
  Json keepers = Json::array();
  for (const PathBytes& path : thing.keepers) keepers.push_back(escapePath(path));
  return Json{{"identity", toJson(thing.identity)},
              {"parameters", toJson(thing.parameters)},
              {"keepers", std::move(keepers)}}
      .dump();
}

Result<WholeThing> wholeFrom(const std::string& told) {
  constexpr std::size_t most = 64;
  const Json json = parseJson(told);
  JsonReader in(json);
  WholeThing thing;
  in.object("identity", [&](JsonReader& identity) { thing.identity = readIdentity(identity); });
  thing.parameters = readParameters(in, "parameters");
  const Json keepers = json.is_object() ? json.value("keepers", Json()) : Json();
  bool plain = keepers.is_array() && keepers.size() <= most;
  for (const Json& path : keepers) {
    plain = plain && path.is_string();
    if (plain) thing.keepers.push_back(unescapePath(path.get<std::string>()));
    plain = plain && plainRelative(thing.keepers.back());
  }
  if (!in.ok() || !plain) return fail(Errc::corrupt, "order", {}, in.fault());
  return thing;
}

bool needsStepRights(const GuardedDrive& drive, const PathBytes& path) {
  const NodeId node = drive.nodeAt(path);
  if (node != noNode && drive.fileRights->isOthers(drive.tree().owner(node))) return true;
  if (needsRights(drive, path)) return true;
  if (look(drive, path)) return false;
  // It is not there: whether it could be put there.
  const auto parent = drive.files->openBeneath(*drive.root, parentPath(path));
  const auto around = parent ? drive.files->stat(**parent, {}) : Result<EntryStat>(EntryStat{});
  return around && around->foreign;
}

bool copyIsOthers(const GuardedDrive& drive, const JournalRecord& record) {
  const PathBytes to = record.parameters.place("to");
  if (to.empty() || !drive.openOther || record.state != ItemState::gone) return false;
  const auto other = drive.openOther(to);
  if (!other) return false;
  const PathBytes copy = joinPath(movedFolder(drive.job), record.path);
  const auto at = other->files->openBeneath(*other->root, parentPath(copy));
  const auto stat = at ? other->files->stat(**at, baseName(copy)) : Result<EntryStat>(EntryStat{});
  return at ? stat && drive.fileRights->isOthers(stat->owner) : at.error().code == Errc::notPermitted;
}

Result<void> carryOutWhole(const StepExecutor& step, std::string_view phase, StepSite& site,
                           JournalRecord& record) {
  if (phase == "check") return guardedly([&] { return step.check(site, record); });
  if (phase == "release") return guardedly([&] { return step.release(site, record); });
  if (phase == "tidy") return guardedly([&] { return step.tidy(site, record), Result<void>{}; });
  return carryOutPhase(step, phase, site, record);
}

namespace {

/// Under this number a batch remembers that the helper has begun to remember it.
constexpr std::int64_t ofHelper = -3;

class WithStepRights final : public StepExecutor {
public:
  explicit WithStepRights(std::shared_ptr<const StepExecutor> step) : step_(std::move(step)) {}

  Result<void> check(StepSite& site, const JournalRecord& record) const override {
    JournalRecord mine = record;
    if (ordered(site, record)) return one("check", site, mine);
    auto fits = step_->check(site, record);
    // What is closed to who works here is looked at when the rights are there.
    const GuardedDrive& drive = site.drive;
    const bool later = !fits && fits.error().code == Errc::notPermitted && !drive.rightful &&
                       drive.fileRights && drive.fileRights->worthAsking() &&
                       needsStepRights(drive, record.path);
    return later ? Result<void>{} : fits;
  }
  Result<void> prepare(StepSite& site, JournalRecord& r) const override { return one("prepare", site, r); }
  Result<void> announce(StepSite& site, std::span<JournalRecord> batch) const override {
    std::vector<JournalRecord> own, others;
    for (const JournalRecord& r : batch) (ordered(site, r) ? others : own).push_back(r);
    if (!own.empty())
      if (auto done = step_->announce(site, own); !done) return done;
    return askAll("announce", site, others);
  }
  Result<void> apply(StepSite& site, JournalRecord& r) const override { return one("apply", site, r); }
  void settleOnDevice(StepSite& site, std::span<const JournalRecord> batch) const override {
    std::vector<JournalRecord> own, others;
    for (const JournalRecord& r : batch) (ordered(site, r) ? others : own).push_back(r);
    if (!own.empty()) step_->settleOnDevice(site, own);
    (void)askAll("settle", site, others);
  }
  Result<void> verify(StepSite& site, JournalRecord& r) const override { return one("verify", site, r); }
  ItemState settled() const override { return step_->settled(); }
  bool finishes() const override { return step_->finishes(); }
  Result<void> finish(StepSite& site, JournalRecord& r) const override { return one("finish", site, r); }
  void awaitSpace(StepSite& site, std::span<JournalRecord> batch) const override {
    step_->awaitSpace(site, batch);
  }
  Result<void> undo(StepSite& site, JournalRecord& r) const override { return one("undo", site, r); }
  Result<void> release(StepSite& site, JournalRecord& r) const override { return one("release", site, r); }
  Result<void> recover(StepSite& site, JournalRecord& r) const override { return one("recover", site, r); }
  void tidy(StepSite& site, const JournalRecord& record) const override {
    JournalRecord mine = record;
    (void)one("tidy", site, mine);
  }

private:
  static bool ordered(const StepSite& site, const JournalRecord& record) {
    const auto& rightful = site.drive.rightful;
    return rightful && rightful->whole.contains(record.path);
  }

  Result<void> one(const char* phase, StepSite& site, JournalRecord& record) const {
    return ordered(site, record) ? ask(phase, site, std::span(&record, 1))
                                 : carryOutWhole(*step_, phase, site, record);
  }

  /// Of a batch what it remembers is with the helper; it begins anew with each.
  static const char* memoryOf(const StepSite& site) {
    if (!site.memory) return "none";
    auto& begun = (*site.memory)[ofHelper];
    if (begun) return "kept";
    begun = std::make_shared<int>(0);
    return "fresh";
  }

  /// In as many messages as it takes: none may be too long, and paths are as long as they are.
  static Result<void> askAll(const char* phase, StepSite& site, std::span<JournalRecord> records) {
    constexpr std::size_t mostBytes = std::size_t{128} * 1024;
    while (!records.empty()) {
      std::size_t count = 0;
      for (std::size_t bytes = 0; count < records.size() && (count == 0 || bytes < mostBytes); ++count)
        bytes += toTold(records[count]).dump().size();
      if (auto done = ask(phase, site, records.first(count)); !done) return done;
      records = records.subspan(count);
    }
    return {};
  }

  static Result<void> ask(const char* phase, StepSite& site, std::span<JournalRecord> records) {
    Json told = Json::array();
    for (const JournalRecord& r : records) told.push_back(toTold(r));
    const Json request{{"phase", phase}, {"memory", memoryOf(site)}, {"records", std::move(told)}};
    const auto reply = site.drive.rightful->changes->carryOut(request.dump(), [&](Bytes went) {
      if (site.went) site.went(went);
      return !site.stop.stop_requested();
    });
    if (!reply) return tl::unexpected(reply.error());
    const Json json = parseJson(*reply);
    JsonReader in(json);
    if (records.size() == 1) {
      Result<JournalRecord> after = fail(Errc::corrupt, "helper");
      in.object("record", [&](JsonReader& r) { after = recordFromTold(r.json()); });
      if (!after) return tl::unexpected(after.error());
      believe(*after, records.front());
    }
    if (!in.has("failed")) return in.ok() ? Result<void>{} : fail(Errc::corrupt, "helper");
    const auto code = in.choice<Errc>("failed", errorCodes);
    return fail(in.ok() ? code : Errc::corrupt, "helper", in.pathOr("at"), unescapePath(in.textOr("detail")));
  }

  /// What it is stays as the journal has it; only what became of it is believed.
  static void believe(const JournalRecord& after, JournalRecord& record) {
    record.state = after.state;
    record.freed = after.freed;
    record.linksRemain = after.linksRemain;
    record.device = after.device;
    record.payload = after.payload;
    if (plainRelative(after.holdFolder)) record.holdFolder = after.holdFolder;
    if (plainRelative(after.putAt)) record.putAt = after.putAt;
  }

  std::shared_ptr<const StepExecutor> step_;
};

}  // namespace

std::shared_ptr<const StepExecutor> withStepRights(std::shared_ptr<const StepExecutor> step) {
  return std::make_shared<WithStepRights>(std::move(step));
}

}  // namespace zt
