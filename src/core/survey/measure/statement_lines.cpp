// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure/statement_lines.h"

#include <absl/container/flat_hash_set.h>

#include <algorithm>
#include <map>

namespace zt {

namespace {

using Line = StatementLine;
using Source = LineSource;

void addPart(Survey& s, Line line, std::string id, Bytes bytes, std::uint64_t count = 0,
             std::string subject = {}) {
  if (bytes == 0 && count == 0) return;
  s.statement.parts.push_back(
      {line, std::move(id), std::move(subject), static_cast<SignedBytes>(bytes), count});
}

/// Lengths and blocks apart: holes that are not stored, and blocks that were set aside beyond the content.
void addHoles(Survey& s) {
  const SurveyTree& t = s.tree;
  Bytes holes = 0;
  Bytes preallocated = 0;
  std::uint64_t sparse = 0;
  std::uint64_t ahead = 0;
  std::uint32_t lastGroup = ~0u;
  const auto add = [&](NodeId id) {
    if (t.kind(id) != EntryKind::file) return;
    constexpr Bytes cluster = 1 << 16;  // rounding up is no preallocation
    if (t.occupied(id) + 4096 <= t.length(id))
      holes += t.length(id) - t.occupied(id), ++sparse;
    else if (t.occupied(id) > t.length(id) + cluster)
      preallocated += t.occupied(id) - t.length(id), ++ahead;
  };
  for (NodeId id = 1; id < t.size(); ++id)
    if (!t.isLinked(id)) add(id);
  for (const LinkedNode& link : t.linked())
    if (link.group != lastGroup) lastGroup = link.group, add(link.node);
  addPart(s, Line::files, "holes", holes, sparse);
  addPart(s, Line::files, "preallocated", preallocated, ahead);
}

void settleFiles(Survey& s, const StoredFiles* stored) {
  const Bytes walked = s.tree.totals(0).occupied;
  addHoles(s);
  if (stored == nullptr || stored->sizes().namesOnly) {
    // What was asked file by file is known for a whole drive only.
    const Bytes twice =
        s.holdings && s.wholeDrive && !s.partial ? std::min(walked, s.holdings->countedTwice()) : 0;
    addPart(s, Line::files, "shared", twice);
    return s.statement.put(Line::files, walked - twice, twice > 0 ? Source::extents : Source::walked);
  }
  const auto sums = stored->sums();
  addPart(s, Line::files, "compressed", stored->sizes().compressed);
  addPart(s, Line::files, "inlined", stored->sizes().inlined);
  addPart(s, Line::files, "pinned", stored->sizes().pinned);
  // The correction is known for whole subvolumes only.
  const Bytes shared = s.wholeDrive && !s.partial ? std::min(walked, sums.sharedTwice) : 0;
  addPart(s, Line::files, "shared", shared);
  s.statement.put(Line::files, walked - shared, Source::extents);
  s.statement.put(Line::snapshots, sums.others, Source::extents);
  addPart(s, Line::snapshots, "subvolumes", sums.others, sums.otherTrees);
}

void settleOpenDeleted(Survey& s, OpenFiles& openFiles, const std::vector<std::uint64_t>& devices) {
  const auto open = openFiles.list();
  if (!open) return;
  // Subvolumes number their inodes each for itself.
  absl::flat_hash_set<std::pair<std::uint64_t, std::uint64_t>> seen;
  std::map<std::string, std::pair<Bytes, std::uint64_t>> holders;
  Bytes sum = 0;
  for (const OpenFile& file : open->files) {
    const bool here = std::find(devices.begin(), devices.end(), file.device) != devices.end();
    if (!file.deleted || !here || !seen.emplace(file.device, file.inode).second) continue;
    sum += file.occupied;
    holders[file.holder].first += file.occupied;
    ++holders[file.holder].second;
  }
  s.statement.put(Line::openDeleted, sum, Source::openFiles);
  for (const auto& [holder, what] : holders)
    addPart(s, Line::openDeleted, "program", what.first, what.second, holder);
  if (!open->complete) addPart(s, Line::openDeleted, "programs-not-seen", 0, 1);
}

/// What lies under one mount point: the covered folder with everything in it, or the covered file.
std::optional<std::pair<Bytes, std::uint64_t>> covered(const DriveInsides::Uncovered& top,
                                                       const PathBytes& path, const std::stop_token& stop) {
  const auto parent = top.files->openBeneath(*top.folder, PathBytes(parentPath(path)));
  if (!parent) return std::nullopt;
  const auto entry = top.files->stat(**parent, baseName(path));
  if (!entry) return std::nullopt;
  if (entry->kind != EntryKind::folder) return std::pair{entry->occupied, std::uint64_t{1}};
  const auto folder = top.files->openFolder(**parent, baseName(path));
  if (!folder) return std::nullopt;
  const auto beneath = std::make_shared<Survey>();
  WalkOptions options;
  options.threads = 1;
  if (!walk(top.files, *folder, options, stop, nullptr, beneath)) return std::nullopt;
  return std::pair{beneath->tree.totals(0).occupied, std::uint64_t{beneath->tree.entries()} - 1};
}

void settleBeneath(Survey& s, DriveInsides& insides, const std::stop_token& stop) {
  std::vector<NodeId> points;
  for (const auto& e : s.exceptions)
    if (e.kind == SurveyException::Kind::mountedOver) points.push_back(e.node);
  if (points.empty()) return s.statement.put(Line::beneathMounts, 0, Source::walked);
  const auto top = insides.uncovered(s.root);
  if (!top) return addPart(s, Line::beneathMounts, "mount-points-not-seen", 0, points.size());
  Bytes sum = 0;
  for (const NodeId node : points) {
    const PathBytes path = s.tree.path(node);
    const auto found = covered(*top, path, stop);
    if (!found) {
      addPart(s, Line::beneathMounts, "mount-points-not-seen", 0, 1, path);
      continue;
    }
    sum += found->first;
    addPart(s, Line::beneathMounts, "mount-point", found->first, found->second, path);
  }
  s.statement.put(Line::beneathMounts, sum, Source::uncovered);
}

void settleOverhead(Survey& s, DriveInsides& insides, const Drive& drive) {
  const Overhead o = insides.overhead(drive.fsType, drive.target);
  s.statement.put(Line::overhead, o.sum(), o.known ? Source::structures : Source::none);
  for (const auto& part : o.parts) addPart(s, Line::overhead, part.id, part.bytes);
  if (o.deviceBytes > s.statement.capacity)
    addPart(s, Line::overhead, "outside-capacity", o.deviceBytes - s.statement.capacity);
  if (!o.known) s.statement.sources[static_cast<std::size_t>(Line::unexplained)] = Source::cannotItemise;
}

/// Some file systems keep no counters and say zero. Then only what was seen can be said.
void settleWithoutCounters(Statement& st) {
  st.put(Line::free, 0, Source::none);
  st.put(Line::reserved, 0, Source::none);
  st.capacity = static_cast<Bytes>(std::max<SignedBytes>(0, st.sum()));
  st.sources[static_cast<std::size_t>(Line::unexplained)] = Source::cannotItemise;
}

/// Of what is left over: as much as the counters say that others wrote or freed while it was measured.
void settleMeanwhile(Statement& st, SignedBytes grown) {
  const SignedBytes left = st[Line::unexplained];
  const SignedBytes meanwhile =
      grown > 0 ? std::clamp<SignedBytes>(left, 0, grown) : std::clamp<SignedBytes>(left, grown, 0);
  st[Line::changedMeanwhile] = meanwhile;
  st.sources[static_cast<std::size_t>(Line::changedMeanwhile)] = Source::counters;
  st.balance();
}

/// What is left over, and by what it could be explained.
void settleRemainder(Survey& s, const Drive& drive, SignedBytes grown) {
  Statement& st = s.statement;
  auto& source = st.sources[static_cast<std::size_t>(Line::unexplained)];
  if (source == Source::none) source = Source::remainder;
  // The layers of an overlay and a server's share hold more than this mount shows.
  const bool guessed = drive.fsType == "btrfs" && st.source(Line::files) != Source::extents;
  if (drive.fsType == "overlay" || drive.kind == DriveKind::network || guessed)
    source = Source::cannotItemise;
  st.balance();
  settleMeanwhile(st, grown);
  std::uint64_t closed = 0;
  for (const auto& e : s.exceptions)
    closed += e.kind == SurveyException::Kind::unreadable || e.kind == SurveyException::Kind::unanswered;
  const auto left = std::max<SignedBytes>(0, st[Line::unexplained]);
  if (closed > 0) addPart(s, Line::unexplained, "unreadable-at-most", static_cast<Bytes>(left), closed);
  // XFS lets files share blocks and counts these with each file; which ones, it tells nobody.
  const bool mayShare = drive.fsType == "xfs" && s.wholeDrive && !s.partial;
  if (mayShare && st[Line::unexplained] < 0)
    addPart(s, Line::unexplained, "shared-at-least", static_cast<Bytes>(-st[Line::unexplained]));
  // Of a folder, or of a walk that was cut short, the remainder is not unexplained: nobody looked.
  if (s.wholeDrive && !s.partial) return;
  std::swap(st[Line::elsewhere], st[Line::unexplained]);
  st.sources[static_cast<std::size_t>(Line::elsewhere)] = Source::remainder;
}

}  // namespace

void settle(Survey& survey, const MeasurePorts& ports, const Drive& drive, const Walked& walked,
            const std::stop_token& stop) {
  const StoredFiles* const stored = walked.stored;
  Statement& s = survey.statement;
  s.capacity = survey.usage.capacity;
  s.put(Line::free, survey.usage.available, Source::counters);
  s.put(Line::reserved, survey.usage.reserved(), Source::counters);
  if (survey.usage.rise.refill)
    addPart(survey, Line::reserved, "refilled-first", *survey.usage.rise.refill);
  else
    addPart(survey, Line::reserved, "refill-not-known", 0, 1);
  settleFiles(survey, stored);
  if (ports.declared) {
    s.put(Line::snapshots, ports.declared->snapshots, Source::declared);
    s.put(Line::openDeleted, ports.declared->openDeleted, Source::declared);
    s.put(Line::beneathMounts, ports.declared->beneathMounts, Source::declared);
    s.put(Line::overhead, ports.declared->overhead, Source::declared);
  } else {
    std::vector<std::uint64_t> devices{drive.device};
    if (stored != nullptr)
      for (const auto device : stored->devices()) devices.push_back(device);
    settleOpenDeleted(survey, *ports.openFiles, devices);
    if (walked.there) settleBeneath(survey, *ports.insides, stop);
    if (walked.there) settleOverhead(survey, *ports.insides, drive);
  }
  if (s.capacity == 0) settleWithoutCounters(s);
  settleRemainder(survey, drive, walked.grown);
}

}  // namespace zt
