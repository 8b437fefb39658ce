// SPDX-License-Identifier: GPL-3.0-or-later
#include "helper/drop_server.h"

#include <algorithm>

namespace zt::helper {

DropServer::Answer DropServer::answer(const std::string& method, const Json& params) {
  if (ended_) return refuse(ended, "this conversation has ended");
  if (method == "begin") return begin(params);
  const bool known = method == "list_points" || method == "drop" || method == "cleaning" || method == "end";
  if (!known) return refuse(noSuchMethod, "no such request");
  if (!snapshots_) return refuse(notBegun, "begin comes first");
  if (method == "list_points") return listPoints();
  if (method == "drop") return drop(params);
  if (method == "cleaning") return cleaning();
  ended_ = true;
  return Json(true);
}

DropServer::Answer DropServer::begin(const Json& params) {
  if (snapshots_) return refuse(invalidRequest, "there is a client already");
  if (params.value("version", Json()) != version) return Json{{"version", version}};
  const auto order = dropOrderFrom(params.value("order", Json()));
  if (!order) return refuse(invalidParams, "an order that fits its digest");
  auto top = openRoot(files_, params, root_);
  if (!top) return tl::unexpected(top.error());
  if (onBegin && !onBegin()) {
    ended_ = true;
    return refuse(ended, "rights could not be given up");
  }
  auto snapshots = open_(std::move(*top));
  if (auto may = snapshots->begin(root_, *order); !may) return refuse(may.error());
  order_ = *order;
  snapshots_ = std::move(snapshots);
  return Json{{"version", version}};
}

DropServer::Answer DropServer::listPoints() {
  const auto all = snapshots_->list(root_);
  if (!all) return refuse(all.error());
  tellRows("trees", *all, [](const Subvolume& s) { return toJson(StoredSizes::Tree{s, 0}); });
  return Json(true);
}

DropServer::Answer DropServer::drop(const Json& params) {
  const Json id = params.value("id", Json());
  const Json made = params.value("made", Json());
  const auto uuid = textIn(params, "uuid", 32);
  if (!id.is_number_unsigned() || !made.is_number_integer() || !uuid) return refuse(invalidParams, "a point");
  Subvolume meant;
  meant.id = id.get<std::uint64_t>();
  meant.made = made.get<TimeNs>();
  meant.uuid = *uuid;
  if (!order_.names(meant)) return refuse(Error{Errc::notPermitted, "drop", {}, 0, "order"});
  if (const auto gone = snapshots_->drop(root_, meant); !gone) return refuse(gone.error());
  return Json(true);
}

DropServer::Answer DropServer::cleaning() {
  const auto left = snapshots_->cleaning(root_);
  if (!left) return refuse(left.error());
  return Json(*left);
}

}  // namespace zt::helper
