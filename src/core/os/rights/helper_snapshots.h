// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <mutex>

#include "core/os/rights/privileged.h"

namespace zt {

class HelperLink;

/// Points as the helper sees them and lets them go: those of the order that it was begun with, beneath the
/// mount that it was begun at. Any thread.
class HelperSnapshots final : public Snapshots {
public:
  explicit HelperSnapshots(std::shared_ptr<HelperLink> link) : link_(std::move(link)) {}
  Result<std::vector<Subvolume>> list(const PathBytes& mountTarget) override;
  Result<void> begin(const PathBytes&, const DropOrder&) override { return {}; }
  Result<void> drop(const PathBytes& mountTarget, const Subvolume& meant) override;
  Result<std::size_t> cleaning(const PathBytes& mountTarget) override;

private:
  std::shared_ptr<HelperLink> link_;
};

/// Points as this program may see them and let them go, and where that ends, by the helper: it is asked for
/// when an order begins that this program may not carry out, and goes when the order ends. One run at a time;
/// listing from any thread.
class FallbackSnapshots final : public Snapshots {
public:
  FallbackSnapshots(std::shared_ptr<Snapshots> direct, std::shared_ptr<Privileged> privileged)
      : direct_(std::move(direct)), privileged_(std::move(privileged)) {}
  Result<std::vector<Subvolume>> list(const PathBytes& mountTarget) override;
  Result<void> begin(const PathBytes& mountTarget, const DropOrder& order) override;
  void end() override;
  Result<void> drop(const PathBytes& mountTarget, const Subvolume& meant) override;
  Result<std::size_t> cleaning(const PathBytes& mountTarget) override;

private:
  /// Whoever may do it now.
  std::shared_ptr<Snapshots> able();

  std::shared_ptr<Snapshots> direct_;
  std::shared_ptr<Privileged> privileged_;
  std::mutex mutex_;
  std::shared_ptr<Snapshots> lent_;  ///< while an order lasts
};

}  // namespace zt
