// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proof/proof.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>
#include <cstdlib>

namespace zt {

bool worthSaying(const ProofReason& reason) {
  return reason.kind != ProofReason::Kind::driveDiffers || std::abs(reason.bytes) >= ownStructures;
}

std::string_view name(Restart restart) {
  static constexpr std::array<std::string_view, restarts> names{"not-needed", "happened", "unseen",
                                                                "waiting"};
  return names[static_cast<std::size_t>(restart)];
}

std::string_view name(ProofReason::Kind kind) {
  static constexpr std::array<std::string_view, proofReasonKinds> names{
      "not-done",  "not-reached", "held",          "put-back", "links-remain",
      "came-back", "still-open",  "less-occupied", "released", "shared-freed",
      "refilled",  "otherwise",   "drive-differs"};
  return names[static_cast<std::size_t>(kind)];
}

namespace {

using Kind = ProofReason::Kind;

/// Adds up reasons of one kind and cause.
void note(ProofLine& line, ProofReason reason) {
  for (auto& r : line.reasons)
    if (r.kind == reason.kind && r.code == reason.code && r.detail == reason.detail) {
      r.bytes += reason.bytes;
      r.items += reason.items;
      return;
    }
  line.reasons.push_back(std::move(reason));
}

SignedBytes less(Bytes bytes) {
  return -static_cast<SignedBytes>(bytes);
}

/// What the touched places say that a line gave, so far as it is judged.
struct Shown {
  SignedBytes sure = 0;
  SignedBytes atMost = 0;
};

/// Whether the very thing of a record lies at a path.
bool liesAt(const GuardedDrive& drive, const PathBytes& path, const JournalRecord& r) {
  const auto there = look(drive, path);
  return there && there->stat.inode == r.identity.inode && there->stat.kind == r.identity.kind;
}

void judgeGone(const GuardedDrive& drive, const Holders& holders, const JournalRecord& r, ProofLine& line,
               Shown& shown) {
  const GainBounds freed = r.shown();
  shown.sure += static_cast<SignedBytes>(freed.sure);
  shown.atMost += static_cast<SignedBytes>(std::max(freed.atMost, r.freed.atMost));
  const bool promisedNone = r.promised.atMost == 0;
  if (promisedNone && r.freed.sure > 0)
    note(line, {Kind::released, static_cast<SignedBytes>(r.freed.sure), {}, 1, {}});
  // Something else by that name, or the very thing.
  if (look(drive, r.path)) note(line, {Kind::cameBack, 0, {}, 1, {}});
  // Only a process that opened it before it was taken can still hold it; whoever has a name now is another
  // file.
  const std::string* who = holders.holderOfDeleted(r.device, r.identity.inode);
  if (who == nullptr) return;
  note(line, {Kind::stillOpen, less(freed.sure), {}, 1, *who});
  shown.sure -= static_cast<SignedBytes>(freed.sure);
  shown.atMost -= static_cast<SignedBytes>(std::max(freed.atMost, r.freed.atMost));
}

/// What one item's last state says about its line.
void judge(const GuardedDrive& drive, const Holders& holders, const JournalRecord& r, ProofLine& line,
           Shown& shown) {
  const SignedBytes lost = less(r.promised.sure);
  // What the journal says is a claim; the drive is right.
  const bool lies = !r.holdFolder.empty() && liesAt(drive, joinPath(r.holdFolder, std::to_string(r.seq)), r);
  if (r.state == ItemState::gone && lies) return note(line, {Kind::notDone, lost, Errc::changed, 1, {}});
  if (r.state == ItemState::held && !r.holdFolder.empty() && !lies)
    return note(line, liesAt(drive, r.path, r) ? ProofReason{Kind::putBack, lost, {}, 1, {}}
                                               : ProofReason{Kind::notDone, lost, Errc::notThere, 1, {}});
  const Bytes linked = r.state == ItemState::gone ? std::min(r.linksRemain, r.promised.sure) : 0;
  if (linked > 0) note(line, {Kind::linksRemain, less(linked), {}, 1, {}});
  switch (r.state) {
    case ItemState::gone:
      return judgeGone(drive, holders, r, line, shown);
    case ItemState::done:
      shown.sure += static_cast<SignedBytes>(r.freed.sure);
      shown.atMost += static_cast<SignedBytes>(r.freed.atMost);
      if (!r.detail.empty() && r.freed.sure < r.promised.sure)
        note(line, {Kind::otherwise, less(r.promised.sure - r.freed.sure), {}, 1, r.detail});
      return;
    case ItemState::held:
      return note(line, r.problem ? ProofReason{Kind::notDone, lost, r.problem, 1, r.detail}
                                  : ProofReason{Kind::held, less(r.occupied), {}, 1, {}});
    case ItemState::returned:
      return note(line, r.problem ? ProofReason{Kind::notDone, lost, r.problem, 1, r.detail}
                                  : ProofReason{Kind::putBack, lost, {}, 1, {}});
    case ItemState::missing:
      return note(line, {Kind::notDone, lost, Errc::notThere, 1, {}});
    case ItemState::untouched:
      return note(line, {Kind::notReached, lost, {}, 1, {}});
    default:
      return note(line, {Kind::notDone, lost, r.problem.value_or(Errc::io), 1, r.detail});
  }
}

/// Names what is left of the difference: what the places show against the promise, and the counter against
/// the places.
void settle(ProofLine& line, const Shown& shown, Bytes& refill) {
  SignedBytes explained = 0;
  for (const auto& r : line.reasons)
    if (r.kind != Kind::held) explained += r.bytes;
  const auto promised = static_cast<SignedBytes>(line.promised.sure);
  // Of a file whose other names went later in the same line the last one gave the bytes after all.
  for (auto& r : line.reasons) {
    if (r.kind != Kind::linksRemain) continue;
    const SignedBytes came = std::clamp<SignedBytes>(shown.sure - promised - explained, 0, -r.bytes);
    r.bytes += came;
    explained += came;
  }
  std::erase_if(line.reasons,
                [](const ProofReason& r) { return r.kind == Kind::linksRemain && r.bytes == 0; });
  SignedBytes rest = shown.sure - promised - explained;
  const auto perhaps =
      static_cast<SignedBytes>(line.promised.atMost - std::min(line.promised.atMost, line.promised.sure));
  if (const SignedBytes came = std::clamp<SignedBytes>(rest, 0, perhaps); came > 0) {
    note(line, {Kind::sharedFreed, came, {}, 0, {}});
    rest -= came;
  }
  if (rest != 0) note(line, {Kind::lessOccupied, rest, {}, 0, {}});
  SignedBytes beyond = line.actual - shown.sure;
  const SignedBytes shared = std::clamp<SignedBytes>(beyond, 0, shown.atMost - shown.sure);
  if (shared > 0) note(line, {Kind::sharedFreed, shared, {}, 0, {}});
  beyond -= shared;
  const SignedBytes refilled = std::clamp<SignedBytes>(-beyond, 0, static_cast<SignedBytes>(refill));
  if (refilled > 0) note(line, {Kind::refilled, -refilled, {}, 0, {}});
  refill -= static_cast<Bytes>(refilled);
  beyond += refilled;
  if (beyond != 0) note(line, {Kind::driveDiffers, beyond, {}, 0, {}});
}

void judgeRun(const GuardedDrive& drive, const Holders& holders, const ProvedRun& run, Proof& proof) {
  absl::flat_hash_map<std::string, std::size_t> at;
  absl::flat_hash_map<std::string, const ProvedRun::Line*> planned;
  for (const auto& line : run.planned) planned[line.id] = &line;
  std::vector<Shown> shown;
  const std::size_t first = proof.lines.size();
  for (const LineOutcome& outcome : run.lines) {
    ProofLine line;
    line.line = outcome.line;
    line.kind = pickedKind;
    line.action = outcome.action;
    line.promised = outcome.promised;
    line.actual = outcome.rose;
    line.items = outcome.items;
    if (const auto known = planned.find(outcome.line); known != planned.end())
      line.kind = known->second->kind, line.example = known->second->example;
    at[outcome.line] = proof.lines.size();
    proof.lines.push_back(std::move(line));
    shown.emplace_back();
  }
  std::vector<Bytes> recorded(shown.size(), 0);
  for (const JournalRecord& r : run.records)
    if (const auto line = at.find(r.line); line != at.end()) {
      judge(drive, holders, r, proof.lines[line->second], shown[line->second - first]);
      recorded[line->second - first] += r.promised.sure;
    }
  Bytes refill = run.refill, promised = 0;
  for (std::size_t i = 0; i < shown.size(); ++i) {
    ProofLine& line = proof.lines[first + i];
    // Items that the run never came to are in no record.
    if (run.lines[i].state == LineOutcome::State::notReached ||
        run.lines[i].state == LineOutcome::State::partly)
      if (const Bytes rest = line.promised.sure - std::min(line.promised.sure, recorded[i]); rest > 0)
        note(line, {Kind::notReached, less(rest), {}, line.items, {}});
    settle(line, shown[i], refill);
    promised += line.promised.sure;
  }
  // What fills up what is kept back reaches no counter.
  proof.promised += promised - std::min(promised, run.refill);
}

}  // namespace

std::vector<LineOutcome> outcomesOfRecords(std::span<const JournalRecord> records) {
  std::vector<LineOutcome> lines;
  absl::flat_hash_map<std::string, std::size_t> at;
  for (const auto& r : records) {
    const auto [known, fresh] = at.emplace(r.line, lines.size());
    if (fresh) {
      lines.emplace_back();
      lines.back().line = r.line;
      lines.back().action = r.action;
    }
    LineOutcome* const line = &lines[known->second];
    ++line->items;
    line->promised += r.promised;
    line->freed += r.freed;
    line->linksRemain += r.linksRemain;
    line->itemsDone += r.state == ItemState::gone || r.state == ItemState::done ||
                       (r.state == ItemState::held && !r.problem);
  }
  for (auto& o : lines)
    o.state = o.itemsDone == o.items ? LineOutcome::State::done
              : o.itemsDone == 0     ? LineOutcome::State::notReached
                                     : LineOutcome::State::partly;
  return lines;
}

Result<Proof> prove(const GuardedDrive& drive, std::span<const ProvedRun> runs,
                    const std::vector<Target>& targets, TimeNs now) {
  if (auto synced = drive.files->syncAll(*drive.root); !synced) return tl::unexpected(synced.error());
  const auto usage = drive.files->usage(*drive.root);
  if (!usage) return tl::unexpected(usage.error());
  Proof proof;
  proof.when = now;
  proof.freeAfter = usage->available;
  proof.freeBefore = runs.empty() ? usage->available : runs.front().freeBefore;
  const Holders holders = Holders::read(*drive.openFiles);
  for (const auto& run : runs) {
    judgeRun(drive, holders, run, proof);
    for (const auto& r : run.records)
      if (r.state == ItemState::held) proof.held += r.occupied;
  }
  for (const auto& line : proof.lines) proof.actual += line.actual;
  proof.byOthers =
      static_cast<SignedBytes>(proof.freeAfter) - static_cast<SignedBytes>(proof.freeBefore) - proof.actual;
  proof.targets = outlook(targets, proof.freeAfter, {});
  return proof;
}

}  // namespace zt
