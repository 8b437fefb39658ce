// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proof/proof.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>

namespace zt {

std::string_view name(ProofReason::Kind kind) {
  static constexpr std::array<std::string_view, 8> names{"not-done",   "not-reached",  "held",
                                                         "put-back",   "links-remain", "came-back",
                                                         "still-open", "less-occupied"};
  return names[static_cast<std::size_t>(kind)];
}

namespace {

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

/// What one item's last state says about its line.
void judge(const GuardedDrive& drive, const Holders& holders, const JournalRecord& r, ProofLine& line) {
  using Kind = ProofReason::Kind;
  line.actual += r.freed;
  if (r.linksRemain > 0) note(line, {Kind::linksRemain, less(r.linksRemain), {}, 1, {}});
  switch (r.state) {
    case ItemState::gone: {
      if (look(drive, r.path)) note(line, {Kind::cameBack, 0, {}, 1, {}});
      // Only a process that opened it before it was taken can still hold it.
      const auto root = drive.files.stat(*drive.root, {});
      if (const auto* who = root ? holders.holderOf(root->device, r.identity.inode) : nullptr)
        note(line, {Kind::stillOpen, less(r.freed), {}, 1, *who});
      break;
    }
    case ItemState::held:
      if (r.action == StepAction::hold)
        note(line, {Kind::held, less(r.promised), {}, 1, {}});
      else
        note(line, {Kind::notDone, less(r.promised), r.problem, 1, r.detail});
      break;
    case ItemState::returned:
      if (r.action == StepAction::hold || r.problem == Errc::io)
        note(line, {Kind::putBack, less(r.promised), {}, 1, {}});
      else
        note(line, {Kind::notDone, less(r.promised), r.problem, 1, r.detail});
      break;
    case ItemState::missing:
      note(line, {Kind::notDone, less(r.promised), Errc::notThere, 1, {}});
      break;
    default:
      note(line, {Kind::notDone, less(r.promised), r.problem, 1, r.detail});
      break;
  }
}

void judgeRun(const GuardedDrive& drive, const Holders& holders, const ProvedRun& run, Proof& proof) {
  absl::flat_hash_map<std::string, std::size_t> at;
  for (const LineOutcome& outcome : run.lines) {
    ProofLine line;
    line.line = outcome.line;
    line.action = outcome.action;
    line.promised = outcome.promised;
    line.items = outcome.items;
    if (const PlanLine* planned = run.plan.find(outcome.line)) {
      line.kind = planned->kind;
      if (!planned->items.empty()) line.example = planned->items.front().path;
    }
    if (outcome.state == LineOutcome::State::notReached && outcome.items > 0)
      note(line, {ProofReason::Kind::notReached, less(outcome.promised), {}, outcome.items, {}});
    at[outcome.line] = proof.lines.size();
    proof.lines.push_back(std::move(line));
  }
  for (const JournalRecord& r : run.records)
    if (const auto line = at.find(r.line); line != at.end())
      judge(drive, holders, r, proof.lines[line->second]);
}

/// A difference that no reason explains is named too: it occupied something else when it went.
void settle(ProofLine& line) {
  SignedBytes explained = 0;
  for (const auto& r : line.reasons)
    if (r.kind != ProofReason::Kind::held) explained += r.bytes;
  const SignedBytes difference =
      static_cast<SignedBytes>(line.actual) - static_cast<SignedBytes>(line.promised);
  if (line.reasons.empty() && difference != 0)
    note(line, {ProofReason::Kind::lessOccupied, difference - explained, {}, 0, {}});
}

}  // namespace

std::vector<LineOutcome> outcomesOfRecords(const Plan& plan, std::span<const JournalRecord> records) {
  std::vector<LineOutcome> lines;
  for (const PlanLine& line : plan.lines) {
    if (!line.enabled) continue;
    LineOutcome o;
    o.line = line.id;
    o.action = line.action;
    o.promised = line.gain.sure;
    o.items = line.items.size();
    for (const auto& r : records) {
      if (r.line != line.id) continue;
      o.freed += r.freed;
      o.itemsDone +=
          r.state == ItemState::gone || (r.state == ItemState::held && line.action == StepAction::hold);
    }
    o.state = o.itemsDone == o.items ? LineOutcome::State::done
              : o.itemsDone == 0     ? LineOutcome::State::notReached
                                     : LineOutcome::State::partly;
    lines.push_back(std::move(o));
  }
  return lines;
}

Result<Proof> prove(const GuardedDrive& drive, std::span<const ProvedRun> runs,
                    const std::vector<Target>& targets, TimeNs now) {
  if (auto synced = drive.files.syncAll(*drive.root); !synced) return tl::unexpected(synced.error());
  const auto usage = drive.files.usage(*drive.root);
  if (!usage) return tl::unexpected(usage.error());
  Proof proof;
  proof.when = now;
  proof.freeAfter = usage->available;
  proof.freeBefore = runs.empty() ? usage->available : runs.front().freeBefore;
  const Holders holders = Holders::read(drive.openFiles);
  for (const auto& run : runs) {
    judgeRun(drive, holders, run, proof);
    for (const auto& r : run.records)
      if (r.state == ItemState::held) proof.held += r.promised;
  }
  for (auto& line : proof.lines) {
    settle(line);
    proof.promised += line.promised;
    proof.actual += line.actual;
  }
  proof.byOthers = static_cast<SignedBytes>(proof.freeAfter) - static_cast<SignedBytes>(proof.freeBefore) -
                   static_cast<SignedBytes>(proof.actual);
  proof.targets = outlook(targets, proof.freeAfter, {});
  return proof;
}

}  // namespace zt
