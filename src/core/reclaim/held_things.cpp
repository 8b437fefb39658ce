// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/held_things.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>
#include <charconv>
#include <random>
#include <utility>

#include "core/plan/plan_json.h"
#include "core/reclaim/guard.h"

namespace zt {

std::string runFolderName(std::int64_t run) {
  return "run-" + std::to_string(run);
}

std::string heldListName(std::int64_t run) {
  return runFolderName(run) + ".jsonl";
}

PathBytes holdFolderPath(std::string_view base, std::string_view job, std::int64_t run) {
  return joinPath(joinPath(joinPath(base, holdName), job), runFolderName(run));
}

std::string heldLine(const JournalRecord& r) {
  Json j{{"seq", r.seq},
         {"line", r.line},
         {"action", r.action},
         {"identity", toJson(r.identity)},
         {"occupied_bytes", r.occupied}};
  putPath(j, "path", r.path);
  putPath(j, "held_in", r.holdFolder);
  return j.dump() + "\n";
}

namespace {

constexpr std::size_t mostListBytes = std::size_t{256} << 20;

std::optional<std::int64_t> digitsOf(std::string_view text) {
  std::int64_t number = 0;
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (problem != std::errc{} || end != text.data() + text.size() || number < 0) return std::nullopt;
  return number;
}

std::optional<std::int64_t> runOf(std::string_view name) {
  return name.starts_with("run-") ? digitsOf(name.substr(4)) : std::nullopt;
}

class Listing final : public ScanSink {
public:
  bool take(std::span<const ScannedEntry> batch) override {
    for (const auto& e : batch)
      if (e.error == 0) entries.emplace_back(PathBytes(e.name), e.stat);
    return entries.size() < 1'000'000;
  }
  std::vector<std::pair<PathBytes, EntryStat>> entries;
};

std::vector<std::pair<PathBytes, EntryStat>> listOf(FileSystemReader& files, const Folder& folder) {
  Listing listing;
  (void)files.scan(folder, listing);
  return std::move(listing.entries);
}

/// What was written down of a run, by number. A line that was cut short or altered is passed over.
absl::flat_hash_map<std::int64_t, JournalRecord> writtenDown(FileSystemReader& files, const Folder& job,
                                                             std::int64_t run) {
  absl::flat_hash_map<std::int64_t, JournalRecord> records;
  const auto text = files.readFile(job, heldListName(run), mostListBytes);
  for (std::size_t at = 0; text && at < text->size();) {
    const std::size_t end = std::min(text->find('\n', at), text->size());
    const Json json = parseJson(std::string_view(*text).substr(at, end - at));
    at = end + 1;
    JsonReader in(json);
    JournalRecord r;
    r.run = run;
    r.seq = in.number<std::int64_t>("seq");
    r.line = in.text("line");
    r.action = in.text("action");
    r.path = in.path("path");
    r.holdFolder = in.path("held_in");
    r.occupied = in.number<Bytes>("occupied_bytes");
    in.object("identity", [&](JsonReader& identity) { r.identity = readIdentity(identity); });
    if (in.ok() && plainRelative(r.path)) records[r.seq] = std::move(r);
  }
  return records;
}

/// Turns what was written down by the root of a job, which may have measured a folder of the drive alone, to
/// paths from where is looked now. Without its path where the hold does not lie as it did: then nothing is
/// guessed.
void turnTo(JournalRecord& record, const PathBytes& holdFolder) {
  const PathBytes written = std::exchange(record.holdFolder, holdFolder);
  if (written.empty() || record.path.empty()) return;
  if (holdFolder == written) return;
  if (holdFolder.ends_with("/" + written))
    record.path = joinPath(holdFolder.substr(0, holdFolder.size() - written.size() - 1), record.path);
  else
    record.path.clear();
}

/// The things in one run's folder.
void addRun(FileSystemReader& files, const FolderPtr& job, const PathBytes& jobPath, std::string_view jobName,
            std::int64_t run, std::vector<HeldThing>& all) {
  const auto folder = files.openFolder(*job, runFolderName(run));
  if (!folder) return;
  const auto things = listOf(files, **folder);
  if (things.empty()) return;
  const auto records = writtenDown(files, *job, run);
  for (const auto& [name, stat] : things) {
    const auto seq = digitsOf(name);
    if (!seq) continue;
    HeldThing thing;
    thing.job = jobName;
    if (const auto written = records.find(*seq); written != records.end()) thing.record = written->second;
    thing.record.run = run;
    thing.record.seq = *seq;
    thing.record.state = ItemState::held;
    turnTo(thing.record, joinPath(jobPath, runFolderName(run)));
    // The size of a folder is what the list says; of a file its own.
    if (stat.kind != EntryKind::folder || thing.record.path.empty()) thing.record.occupied = stat.occupied;
    if (thing.record.path.empty()) thing.record.identity = identityOf(stat);
    thing.stat = stat;
    all.push_back(std::move(thing));
  }
}

void addHold(FileSystemReader& files, const FolderPtr& root, const PathBytes& base,
             std::vector<HeldThing>& all) {
  const PathBytes holdPath = joinPath(base, holdName);
  const auto hold = files.openBeneath(*root, holdPath);
  if (!hold) return;
  for (const auto& [name, stat] : listOf(files, **hold)) {
    if (stat.kind != EntryKind::folder) continue;
    if (const auto run = runOf(name)) {
      addRun(files, *hold, holdPath, {}, *run, all);
      continue;
    }
    const auto job = files.openFolder(**hold, name);
    if (!job) continue;
    for (const auto& [inner, innerStat] : listOf(files, **job))
      if (const auto run = runOf(inner); run && innerStat.kind == EntryKind::folder)
        addRun(files, *job, joinPath(holdPath, name), name, *run, all);
  }
}

}  // namespace

std::vector<HeldThing> heldThings(FileSystemReader& files, const FolderPtr& root,
                                  const std::vector<PathBytes>& places, const StepTable& steps) {
  std::vector<PathBytes> bases{PathBytes{}};
  bases.insert(bases.end(), places.begin(), places.end());
  if (root->keepsAccessTime())
    for (const auto& [name, stat] : listOf(files, *root))
      if (stat.kind == EntryKind::folder && name != holdName) bases.push_back(name);
  std::sort(bases.begin(), bases.end());
  bases.erase(std::unique(bases.begin(), bases.end()), bases.end());
  std::vector<HeldThing> all;
  for (const PathBytes& base : bases) addHold(files, root, base, all);
  for (HeldThing& thing : all) {
    const StepPtr step = steps.find(thing.record.action);
    thing.cutShort = !thing.record.action.empty() && (step == nullptr || !step->setsAside());
  }
  return all;
}

std::string newJobIdentity() {
  std::random_device random;
  const std::uint64_t number = std::uint64_t{random()} << 32 | random();
  char text[20];
  std::snprintf(text, sizeof text, "%016llx", static_cast<unsigned long long>(number));
  return text;
}

}  // namespace zt
