// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/space_credit.h"

#include <numeric>
#include <thread>

namespace zt {

std::vector<SignedBytes> shareOut(SignedBytes rose, std::span<const GainBounds> among) {
  const auto total = [&](auto part) {
    return std::accumulate(
        among.begin(), among.end(), SignedBytes{0},
        [&](SignedBytes s, const GainBounds& g) { return s + static_cast<SignedBytes>(part(g)); });
  };
  const auto sure = [](const GainBounds& g) { return g.sure; };
  const auto atMost = [](const GainBounds& g) { return g.atMost; };
  const auto between = [](const GainBounds& g) { return g.atMost - g.sure; };
  std::vector<SignedBytes> shares(among.size(), 0);
  const SignedBytes least = total(sure);
  const SignedBytes most = total(atMost);
  if (most == 0) return shares;
  // Everybody's firm part, and a part of what is left in proportion to `weight`.
  const auto give = [&](auto firm, auto weight, SignedBytes left, SignedBytes weights) {
    SignedBytes given = 0;
    std::size_t last = 0;
    for (std::size_t i = 0; i < among.size(); ++i) {
      // Two numbers of bytes multiplied: 64 bits do not hold that.
      const auto part = static_cast<__int128>(left) * static_cast<__int128>(weight(among[i])) / weights;
      shares[i] = static_cast<SignedBytes>(firm(among[i])) + static_cast<SignedBytes>(part);
      given += shares[i];
      if (weight(among[i]) > 0) last = i;
    }
    // What whole bytes could not share out goes to the last: the shares must sum to what the counter says.
    shares[last] += rose - given;
  };
  const auto nothing = [](const GainBounds&) { return Bytes{0}; };
  // Below what was sure the sure parts shrink alike; between the bounds each may have some of what was not
  // sure; above them somebody else freed the rest, and nobody can say for whom it is.
  if (rose < 0 && least == 0)
    give(nothing, atMost, rose, most);
  else if (rose < least)
    give(sure, sure, rose - least, least);
  else if (rose <= most)
    give(sure, between, rose - least, std::max<SignedBytes>(1, most - least));
  else
    give(atMost, atMost, rose - most, most);
  return shares;
}

namespace {
Result<Bytes> freeNow(FileSystem& files, const Folder& root) {
  // Until a file system has written out what it put off, its counter tells of yesterday.
  if (auto synced = files.syncAll(root); !synced) return tl::unexpected(synced.error());
  const auto usage = files.usage(root);
  if (!usage) return tl::unexpected(usage.error());
  return usage->available;
}
}  // namespace

Result<SpaceLedger> SpaceLedger::begin(FileSystem& files, FolderPtr root, std::chrono::milliseconds apart) {
  const auto free = freeNow(files, *root);
  if (!free) return tl::unexpected(free.error());
  return SpaceLedger(files, std::move(root), *free, apart);
}

void SpaceLedger::ended(std::span<const GainBounds> freed) {
  waiting_.insert(waiting_.end(), freed.begin(), freed.end());
  // Each reading writes the drive out: asked for at every batch it would cost more than the batch.
  if (std::chrono::steady_clock::now() - readAt_ >= apart_) take(freeNow(files_, *root_));
}

void SpaceLedger::settle() {
  auto free = freeNow(files_, *root_);
  const auto end = std::chrono::steady_clock::now() + std::chrono::milliseconds(500);
  // Some free in the background what was unlinked: the counter is read until it stands still.
  while (free && std::chrono::steady_clock::now() < end) {
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
    const auto again = freeNow(files_, *root_);
    const bool stands = again && *again == *free;
    free = again;
    if (stands) break;
  }
  take(free);
}

/// A reading that failed leaves the pieces waiting for the next one.
void SpaceLedger::take(const Result<Bytes>& free) {
  readAt_ = std::chrono::steady_clock::now();
  if (!free) return;
  const auto rose = static_cast<SignedBytes>(*free) - static_cast<SignedBytes>(last_);
  const auto shares = shareOut(rose, waiting_);
  // What came after the last piece was booked can only be its doing.
  if (waiting_.empty() && !shares_.empty()) shares_.back() += rose;
  shares_.insert(shares_.end(), shares.begin(), shares.end());
  waiting_.clear();
  last_ = *free;
}

}  // namespace zt
