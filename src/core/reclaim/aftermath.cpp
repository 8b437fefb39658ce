// SPDX-License-Identifier: GPL-3.0-or-later
// What can happen to held items later: put back, let go, or found after a crash.
#include <algorithm>

#include "core/reclaim/run.h"

namespace zt {

namespace {

Result<void> note(Journal& journal, const JournalRecord& record) {
  return journal.write(std::span(&record, 1));
}

void problem(JournalRecord& r, const Error& e) {
  r.problem = e.code;
  r.detail = e.detail.empty() ? escapePath(e.path) : e.detail;
}

/// Settles where an item is when the journal does not know: in the hold, or (with `elsewhere`) not.
Result<bool> stillHeld(Hold& hold, JournalRecord& r, ItemState elsewhere) {
  const auto held = hold.holds(r);
  if (!held) return tl::unexpected(held.error());
  if (!*held) r.state = elsewhere;
  return *held;
}

/// Whether the measured item stands at its old place, or beside it; then `putAt` says where.
bool atOldPlace(const GuardedDrive& drive, JournalRecord& r) {
  const auto stands = [&](const PathBytes& path) {
    const auto now = look(drive, path);
    return now && now->stat.inode == r.identity.inode;
  };
  if (stands(r.path)) return r.putAt.clear(), true;
  for (int attempt = 1; attempt < 1000; ++attempt) {
    const PathBytes beside = joinPath(parentPath(r.path), Hold::besideName(baseName(r.path), attempt));
    const auto now = look(drive, beside);
    if (!now) return false;
    if (now->stat.inode == r.identity.inode) return r.putAt = beside, true;
  }
  return false;
}

void putBackOne(Hold& hold, JournalRecord& r) {
  if (const auto done = hold.putBack(r); done) {
    r.state = ItemState::returned;
    hold.tidy(r);
  } else {
    r.state = ItemState::held;
    problem(r, done.error());
  }
}

void unlinkOne(Hold& hold, JournalRecord& r) {
  if (const auto done = hold.unlinkHeld(r); done) {
    r.state = ItemState::gone;
    hold.tidy(r);
  } else {
    r.state = ItemState::held;
    problem(r, done.error());
  }
}

}  // namespace

Result<std::vector<JournalRecord>> undoRun(GuardedDrive drive, Journal& journal,
                                           std::vector<JournalRecord> held, std::stop_token stop) {
  std::reverse(held.begin(), held.end());
  for (auto& r : held) {
    if (stop.stop_requested()) break;
    Hold hold(drive, r.run);
    r.state = ItemState::returning;
    if (auto noted = note(journal, r); !noted) return tl::unexpected(noted.error());
    const auto there = stillHeld(hold, r, ItemState::missing);
    if (!there) return tl::unexpected(there.error());
    if (*there) putBackOne(hold, r);
    if (auto noted = note(journal, r); !noted) return tl::unexpected(noted.error());
  }
  return held;
}

Result<std::vector<JournalRecord>> releaseRun(GuardedDrive drive, Journal& journal,
                                              std::vector<JournalRecord> held, std::stop_token stop) {
  for (auto& r : held) {
    if (stop.stop_requested()) break;
    Hold hold(drive, r.run);
    const auto there = stillHeld(hold, r, ItemState::missing);
    if (!there) return tl::unexpected(there.error());
    if (*there) {
      const Holders holders = Holders::read(drive.openFiles);
      if (const auto same = hold.lookAt(r, holders); !same) {
        problem(r, same.error());
        continue;  // stays held
      }
      r.state = ItemState::discarding;
      if (auto noted = note(journal, r); !noted) return tl::unexpected(noted.error());
      unlinkOne(hold, r);
    }
    if (auto noted = note(journal, r); !noted) return tl::unexpected(noted.error());
  }
  return held;
}

Result<std::vector<JournalRecord>> recover(GuardedDrive drive, Journal& journal,
                                           std::vector<JournalRecord> open) {
  for (auto& r : open) {
    Hold hold(drive, r.run);
    const auto held = hold.holds(r);
    if (!held) return tl::unexpected(held.error());
    switch (r.state) {
      case ItemState::intended:
      case ItemState::returning:
        if (*held)
          putBackOne(hold, r);
        else
          r.state = atOldPlace(drive, r) ? ItemState::returned : ItemState::missing;
        break;
      case ItemState::discarding:
        if (*held)
          unlinkOne(hold, r);
        else
          r.state = ItemState::gone;
        break;
      default:
        continue;
    }
    hold.tidy(r);
    if (auto noted = note(journal, r); !noted) return tl::unexpected(noted.error());
  }
  return open;
}

}  // namespace zt
