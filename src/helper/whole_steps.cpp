// SPDX-License-Identifier: GPL-3.0-or-later
#include "helper/whole_steps.h"

#include <algorithm>
#include <set>

#include "core/plan/plan_json.h"
#include "core/reclaim/claims.h"
#include "core/reclaim/steps/steps.h"
#include "core/reclaim/steps/with_rights.h"
#include "core/reclaim/told_record.h"
#include "core/survey/tree/tree_builder.h"

namespace zt::helper {

namespace {

/// Only these without a consent: they set back what was begun.
constexpr std::string_view settingBack[] = {"undo", "recover", "verify", "tidy"};

/// The drive as far as it was told.
ContextPtr contextOf(const PathBytes& root, const StepFacts& facts, const std::vector<SystemRoot>& systems) {
  auto survey = std::make_shared<Survey>();
  survey->root = root;
  TreeBuilder builder;
  EntryStat top;
  top.kind = EntryKind::folder;
  if (!builder.add(0, {}, top)) return nullptr;
  // Numbers are those of the entries: the root is the first.
  for (const StepFacts::Entry& e : facts.entries)
    if (!builder.add(e.parent, e.name, e.stat)) return nullptr;
  if (!builder.build(survey->tree)) return nullptr;
  FindOptions options;
  options.live = facts.live;
  return std::make_shared<FindContext>(std::move(survey), PlaceMap(systems, {}), std::move(options));
}

/// Each thing with what may stay in its place.
std::shared_ptr<const Copies> copiesOf(const std::map<std::pair<std::string, PathBytes>, WholeThing>& things,
                                       const FindContext& context) {
  auto groups = std::make_shared<std::vector<EqualFiles>>();
  for (const auto& [name, thing] : things) {
    const auto node = context.tree.find(name.second);
    if (thing.keepers.empty() || !node) continue;
    EqualFiles group;
    group.length = thing.identity.length;
    group.nodes.push_back(*node);
    for (const PathBytes& path : thing.keepers)
      if (const auto keeper = context.tree.find(path)) group.nodes.push_back(*keeper);
    groups->push_back(std::move(group));
  }
  return std::make_shared<Copies>(groups, context, std::vector<NodeId>{});
}

}  // namespace

WholeSteps::WholeSteps(const Ports& ports, PathBytes root, StepFacts facts, std::vector<SystemRoot> systems)
    : ports_(ports), root_(std::move(root)), facts_(std::move(facts)), systems_(std::move(systems)) {
  kinds_ = {transferStep(), linkStep(), shareStep(), shrinkStep()};
}

Result<std::unique_ptr<WholeSteps>> WholeSteps::begin(const Ports& ports, const PathBytes& root,
                                                      StepFacts facts, std::vector<SystemRoot> systems) {
  std::unique_ptr<WholeSteps> steps(new WholeSteps(ports, root, std::move(facts), std::move(systems)));
  for (const PathBytes& path : steps->facts_.others) {
    auto other = ports.openOther(root, path);
    if (!other) return tl::unexpected(other.error());
    steps->others_.push_back(std::make_shared<OtherDrive>(std::move(*other)));
  }
  return steps;
}

const StepKind* WholeSteps::kindOf(std::string_view action) const {
  const auto kind =
      std::find_if(kinds_.begin(), kinds_.end(), [&](const StepKind& k) { return k.id == action; });
  return kind == kinds_.end() ? nullptr : &*kind;
}

bool WholeSteps::order(const RightsThing& thing) {
  const StepKind* kind = kindOf(thing.action);
  auto whole = wholeFrom(thing.told);
  if (kind == nullptr || !whole || !plainRelative(thing.path) || !whole->parameters.fit(kind->takes))
    return false;
  return things_.try_emplace({thing.action, thing.path}, std::move(*whole)).second;
}

void WholeSteps::tidyUnused(const FolderPtr& top) const {
  const GuardedDrive drive{ports_.files, ports_.openFiles, nullptr, {}, top, facts_.job, {}};
  std::set<PathBytes> bases{PathBytes{}};
  for (const auto& [name, thing] : things_)
    for (std::string_view at = parentPath(name.second); !at.empty(); at = parentPath(at))
      if (!bases.emplace(at).second) break;
  for (const PathBytes& base : bases) tidyEmptyHold(drive, base);
}

bool WholeSteps::know(const Json& entries) {
  return !drive_ && takeEntries(facts_, entries);
}

Result<void> WholeSteps::see(const FolderPtr& top) {
  if (drive_) return {};
  auto context = contextOf(root_, facts_, systems_);
  facts_.entries = {};
  if (!context) return fail(Errc::corrupt, "know", root_);
  GuardedDrive drive{ports_.files, ports_.openFiles, context, {}, top, facts_.job, {}};
  drive.copies = copiesOf(things_, *context);
  drive_ = std::move(drive);
  return {};
}

/// As the order has it, and nothing that a system needs.
Result<void> WholeSteps::mayBe(const JournalRecord& r, std::string_view phase, bool consent) const {
  const auto thing = things_.find({r.action, r.path});
  if (thing == things_.end() || thing->second.identity != r.identity ||
      thing->second.parameters != r.parameters)
    return fail(Errc::notPermitted, "step", r.path, "order");
  if (!consent && std::find(std::begin(settingBack), std::end(settingBack), phase) == std::end(settingBack))
    return fail(Errc::noConsent, "step", r.path);
  if (drive_->context->locked(r.path) || drive_->context->places.holdsRoot(r.path))
    return fail(Errc::bedrock, "step", r.path);
  // What was compared here: nothing else is let go for good.
  if (phase == "finish" && !verified_.contains({r.run, r.seq}))
    return fail(Errc::notPermitted, "step", r.path, "unverified");
  if (auto believed = checkClaim(*drive_, r); !believed) return believed;
  const bool beside =
      r.putAt.empty() || (plainRelative(r.putAt) && parentPath(r.putAt) == parentPath(r.path));
  return beside ? Result<void>{} : fail(Errc::notPermitted, "step", r.putAt, "beside");
}

Result<OtherDrives> WholeSteps::othersOf(const JournalRecord& r) const {
  OtherDrives all;
  for (const ParameterSpec* where : kindOf(r.action)->otherDrives()) {
    const PathBytes path = r.parameters.place(where->id);
    if (path.empty()) continue;
    const auto other =
        std::find_if(others_.begin(), others_.end(), [&](const auto& o) { return o->path == path; });
    if (other == others_.end()) return fail(Errc::notPermitted, "step", path, "other-drive");
    all.push_back(*other);
  }
  return all;
}

void WholeSteps::remember(const std::string& memory) {
  if (memory == "none") memory_ = nullptr;
  if (memory == "fresh" || (memory == "kept" && !memory_)) memory_ = std::make_shared<StepMemory>();
}

/// Read once for all things of a batch that go through one phase.
const Holders& WholeSteps::holdersOf(const std::string& phase) {
  if (!holders_ || phase != lastPhase_ || !memory_) holders_ = Holders::read(*ports_.openFiles);
  lastPhase_ = phase;
  return *holders_;
}

Result<void> WholeSteps::run(std::string_view phase, StepSite& site, std::span<JournalRecord> records) {
  const StepExecutor& step = *kindOf(records.front().action)->executor;
  if (phase == "announce") return guardedly([&] { return step.announce(site, records); });
  if (phase == "settle") return guardedly([&] { return step.settleOnDevice(site, records), Result<void>{}; });
  if (records.size() != 1) return fail(Errc::badInput, "step");
  return carryOutWhole(step, phase, site, records.front());
}

Result<Json> WholeSteps::carryOut(const Json& request, const FolderPtr& top, bool consent, const Tell& tell) {
  constexpr std::size_t most = 256;
  JsonReader in(request);
  const std::string phase = in.text("phase"), memory = in.text("memory");
  std::vector<JournalRecord> records;
  bool fits = true;
  in.each("records", most, [&](JsonReader& r) {
    auto record = recordFromTold(r.json());
    fits = fits && record;
    if (record) records.push_back(std::move(*record));
  });
  if (!in.ok() || !fits || records.empty()) return fail(Errc::badInput, "step", {}, in.fault());
  if (auto seen = see(top); !seen) return tl::unexpected(seen.error());
  for (const JournalRecord& r : records) {
    if (auto may = mayBe(r, phase, consent); !may) return tl::unexpected(may.error());
    if (r.action != records.front().action || r.parameters != records.front().parameters)
      return fail(Errc::badInput, "step", r.path);
  }
  auto others = othersOf(records.front());
  if (!others) return tl::unexpected(others.error());
  remember(memory);
  std::stop_source stop;
  drive_->stop = stop.get_token();
  StepSite site{*drive_, records.front().run, holdersOf(phase), stop.get_token(), std::move(*others)};
  site.memory = memory_;
  auto next = std::chrono::steady_clock::time_point{};
  site.went = [&](Bytes went) {
    const auto now = std::chrono::steady_clock::now();
    if (now < next) return;
    next = now + std::chrono::milliseconds(50);
    tell(went);
    if (ports_.asksToStop && ports_.asksToStop()) stop.request_stop();
  };
  const auto done = run(phase, site, records);
  const std::pair item(records.front().run, records.front().seq);
  if (phase == "verify" && done) verified_.insert(item);
  if (phase != "verify") verified_.erase(item);
  Json told = zt::toTold(records.front(), done);
  if (!done) putPath(told, "at", done.error().path);
  return told;
}

}  // namespace zt::helper
