// SPDX-License-Identifier: GPL-3.0-or-later
#include "helper/live_server.h"

#include <algorithm>

#include "core/reclaim/steps/steps.h"
#include "core/reclaim/steps/with_rights.h"
#include "core/reclaim/told_record.h"
#include "core/survey/tree/tree_builder.h"

namespace zt::helper {

namespace {

/// A survey of nothing but its root: these steps look at what they change themselves.
ContextPtr contextOf(const PathBytes& root, std::string type) {
  auto survey = std::make_shared<Survey>();
  survey->root = root;
  survey->fsType = std::move(type);
  TreeBuilder builder;
  EntryStat top;
  top.kind = EntryKind::folder;
  if (!builder.add(0, {}, top) || !builder.build(survey->tree)) return nullptr;
  FindOptions options;
  options.live = root == "/";
  return std::make_shared<FindContext>(std::move(survey), PlaceMap({}, {}), std::move(options));
}

}  // namespace

LiveServer::LiveServer(Ports ports, Send send)
    : Conversation(std::move(send)),
      ports_(std::move(ports)),
      kinds_{switchOffStep(), removeStep(), limitStep()} {}

LiveServer::Answer LiveServer::answer(const std::string& method, const Json& params) {
  if (ended_) return refuse(ended, "this conversation has ended");
  if (method == "begin") return begin(params);
  if (method != "step" && method != "end") return refuse(noSuchMethod, "no such request");
  if (!drive_) return refuse(notBegun, "begin comes first");
  if (method == "step") return step(params);
  ended_ = true;
  return Json(true);
}

LiveServer::Answer LiveServer::begin(const Json& params) {
  if (drive_) return refuse(invalidRequest, "there is a client already");
  if (params.value("version", Json()) != version) return Json{{"version", version}};
  const auto order = rightsOrderFrom(params.value("order", Json()));
  if (!order) return refuse(invalidParams, "an order that fits its digest");
  for (const RightsThing& thing : order->things)
    if (std::none_of(kinds_.begin(), kinds_.end(), [&](const StepKind& k) { return k.id == thing.action; }))
      return refuse(invalidParams, "a kind of step that is not known here");
  PathBytes root;
  auto top = openRoot(*ports_.files, params, root);
  if (!top) return tl::unexpected(top.error());
  if (onBegin && !onBegin()) {
    ended_ = true;
    return refuse(ended, "rights could not be given up");
  }
  const ContextPtr context = contextOf(root, ports_.typeOf(root));
  if (!context) return refuse(Error{Errc::io, "begin", root, 0, {}});
  drive_ = GuardedDrive{ports_.files, ports_.openFiles, context, {}, std::move(*top), "helper", {}};
  drive_->live = ports_.live;
  // The client hears that something goes on, so that it need not give up.
  drive_->alive = [this] { (void)tell(Json(true)); };
  order_ = *order;
  return Json{{"version", version}};
}

LiveServer::Answer LiveServer::step(const Json& params) {
  const auto phase = textIn(params, "phase", 16);
  auto record = recordFromTold(params.value("record", Json()));
  if (!phase || !record) return refuse(invalidParams, "phase and record");
  const std::string told = toJson(record->parameters).dump();
  if (!order_.names(record->action, record->path, told))
    return refuse(Error{Errc::notPermitted, "step", record->path, 0, "order"});
  const bool setsBack = *phase == "undo" || *phase == "recover";
  if (order_.consent.empty() && !setsBack) return refuse(Error{Errc::noConsent, "step", record->path, 0, {}});
  const auto kind =
      std::find_if(kinds_.begin(), kinds_.end(), [&](const StepKind& k) { return k.id == record->action; });
  const Holders holders = Holders::read(*ports_.openFiles);
  StepSite site{*drive_, record->run, holders};
  site.went = [this](Bytes) { drive_->alive(); };
  const auto done = carryOutPhase(*kind->executor, *phase, site, *record);
  return toTold(*record, done);
}

}  // namespace zt::helper
