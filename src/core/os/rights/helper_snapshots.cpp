// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/rights/helper_snapshots.h"

#include "core/os/rights/helper_link.h"
#include "core/os/rights/helper_protocol.h"

namespace zt {

Result<std::vector<Subvolume>> HelperSnapshots::list(const PathBytes& mountTarget) {
  helper::StoredReader in;
  const auto reply = link_->call("list_points", HelperLink::Json::object(), mountTarget,
                                 [&](const HelperLink::Json& part) { return in.take(part); });
  if (!reply) return tl::unexpected(reply.error());
  std::vector<Subvolume> all;
  for (StoredSizes::Tree& tree : in.sizes.trees) all.push_back(std::move(tree.is));
  return all;
}

Result<void> HelperSnapshots::drop(const PathBytes&, const Subvolume& meant) {
  const auto reply =
      link_->call("drop", {{"id", meant.id}, {"uuid", meant.uuid}, {"made", meant.made}}, meant.path);
  return reply ? Result<void>{} : Result<void>(tl::unexpected(reply.error()));
}

Result<std::size_t> HelperSnapshots::cleaning(const PathBytes& mountTarget) {
  const auto reply = link_->call("cleaning", HelperLink::Json::object(), mountTarget);
  if (!reply) return tl::unexpected(reply.error());
  if (!reply->is_number_unsigned()) return fail(Errc::badInput, "cleaning", mountTarget, "helper");
  return reply->get<std::size_t>();
}

std::shared_ptr<Snapshots> FallbackSnapshots::able() {
  const std::scoped_lock lock(mutex_);
  return lent_ ? lent_ : direct_;
}

Result<void> FallbackSnapshots::begin(const PathBytes& mountTarget, const DropOrder& order) {
  end();
  auto may = direct_->begin(mountTarget, order);
  if (may || may.error().code != Errc::notPermitted || !privileged_->worthAsking()) return may;
  auto lent = privileged_->startDropping(mountTarget, order);
  if (!lent) return tl::unexpected(lent.error());
  const std::scoped_lock lock(mutex_);
  lent_ = std::move(*lent);
  return {};
}

void FallbackSnapshots::end() {
  const std::scoped_lock lock(mutex_);
  lent_.reset();
}

Result<std::vector<Subvolume>> FallbackSnapshots::list(const PathBytes& mountTarget) {
  return able()->list(mountTarget);
}

Result<void> FallbackSnapshots::drop(const PathBytes& mountTarget, const Subvolume& meant) {
  return able()->drop(mountTarget, meant);
}

Result<std::size_t> FallbackSnapshots::cleaning(const PathBytes& mountTarget) {
  return able()->cleaning(mountTarget);
}

}  // namespace zt
