// SPDX-License-Identifier: GPL-3.0-or-later
#include "helper/change_server.h"

#include <unistd.h>

#include <algorithm>

#include "core/finds/hold_name.h"
#include "core/os/rights/file_rights.h"
#include "core/plan/plan_json.h"
#include "core/reclaim/steps/hold_place.h"

namespace zt::helper {

namespace {

constexpr int ofHold = 0, ofJob = 1, ofRun = 2;
constexpr std::string_view runPrefix = "run-", listSuffix = ".jsonl";

tl::unexpected<Error> no(Errc code, const PathBytes& path, const char* why) {
  return tl::unexpected(Error{code, "change", path, 0, why});
}

bool isNumber(std::string_view name) {
  return !name.empty() && name.size() <= 19 &&
         std::all_of(name.begin(), name.end(), [](char c) { return c >= '0' && c <= '9'; });
}

bool isRunName(std::string_view name) {
  return name.starts_with(runPrefix) && isNumber(name.substr(runPrefix.size()));
}

bool isListName(std::string_view name) {
  return name.ends_with(listSuffix) && isRunName(name.substr(0, name.size() - listSuffix.size()));
}

/// Where things of a folder may be held: at the root, or in a folder above it.
bool holdsFor(std::string_view base, std::string_view folder) {
  return base.empty() || base == folder || beneath(folder, base);
}

}  // namespace

ChangeServer::Answer ChangeServer::answer(const std::string& method, const Json& params) {
  using Method = Answer (ChangeServer::*)(const Json&);
  static const std::pair<std::string_view, Method> methods[] = {
      {"order", &ChangeServer::order}, {"make_folder", &ChangeServer::makeFolder},
      {"move", &ChangeServer::move},   {"remove", &ChangeServer::remove},
      {"sync", &ChangeServer::sync},   {"write_down", &ChangeServer::writeDown},
      {"know", &ChangeServer::know},   {"step", &ChangeServer::step}};
  static constexpr std::string_view reading[] = {"begin", "open",  "stat",       "list",
                                                 "close", "usage", "open_files", "end"};
  if (std::find(std::begin(reading), std::end(reading), method) != std::end(reading))
    return Server::answer(method, params);
  const auto known =
      std::find_if(std::begin(methods), std::end(methods), [&](const auto& m) { return m.first == method; });
  if (known == std::end(methods)) return refuse(noSuchMethod, "no such request");
  if (!hasBegun()) return refuse(notBegun, "begin comes first");
  if (!whole_ && method != "order") return refuse(Error{Errc::noConsent, "change", {}, 0, "order"});
  return (this->*known->second)(params);
}

ChangeServer::Answer ChangeServer::mayBegin(const Json& params, const PathBytes& root) {
  const Json order = params.value("order", Json());
  const auto consent = order.is_object() ? textIn(order, "consent", 32) : std::nullopt;
  const auto digest = order.is_object() ? textIn(order, "digest", 32) : std::nullopt;
  if (!consent || (!consent->empty() && consent->size() != 32) || !digest || digest->size() != 32)
    return refuse(invalidParams, "an order");
  auto systems = systemsFrom_(root);
  if (!systems) return refuse(systems.error());
  places_.emplace(*systems, PathBytes{});
  if (order.contains("steps")) {
    auto facts = factsFrom(order["steps"]);
    if (!facts) return refuse(invalidParams, "steps");
    auto steps = WholeSteps::begin(ports_, root, std::move(*facts), std::move(*systems));
    if (!steps) return refuse(steps.error());
    steps_ = std::move(*steps);
  }
  order_.consent = *consent;
  digest_ = *digest;
  return Json(true);
}

ChangeServer::Answer ChangeServer::order(const Json& params) {
  if (whole_) return refuse(invalidRequest, "the order is whole");
  if (!takeThings(order_, params.value("things", Json()), mostThings) || order_.things.empty())
    return refuse(invalidParams, "things");
  if (order_.digest() == digest_ && !settleOrder()) {
    things_.clear(), byPath_.clear(), byInode_.clear(), order_ = {};
    return refuse(invalidParams, "things");
  }
  if (whole_ && steps_ && top() != nullptr) steps_->tidyUnused(top()->folder);
  return Json(whole_);
}

/// Taking and letting go need a consent; giving back does not.
bool ChangeServer::settleOrder() {
  for (const RightsThing& told : order_.things) {
    if (steps_ && steps_->order(told)) continue;
    const Json json = parseJson(told.told);
    JsonReader in(json);
    const Identity identity = readIdentity(in);
    const bool giveBack = told.action == zt::mayGiveBack, take = told.action == zt::mayTake,
               release = told.action == zt::mayRelease;
    if (!in.ok() || !plainRelative(told.path) || !(take || giveBack || release) ||
        (order_.consent.empty() && !giveBack))
      return false;
    const auto [at, fresh] = byPath_.try_emplace(told.path, things_.size());
    if (fresh) {
      things_.push_back({told.path, identity});
      byInode_[identity.inode].push_back(at->second);
    }
    Thing& thing = things_[at->second];
    if (!sameContent(thing.identity, identity)) return false;
    thing.take |= take, thing.giveBack |= giveBack || take, thing.release |= release || take;
  }
  return whole_ = true;
}

/// Through a hold only where every part of it is root's alone, each opened in the one before: what is renamed
/// meanwhile leads nowhere else.
Result<Server::Open> ChangeServer::reach(const Open& from, const PathBytes& path) {
  if (path.empty()) {
    auto again = files_.openBeneath(*from.folder, {});
    if (!again) return tl::unexpected(again.error());
    return Open{std::move(*again), from.path, from.inHold, from.held};
  }
  if (!plainRelative(path)) return no(Errc::outsideRoot, path, "path");
  const auto parts = splitPath(path);
  Open at = from;
  for (const auto part : parts) {
    auto next = files_.openFolder(*at.folder, part);
    if (!next) return tl::unexpected(next.error());
    const bool enters = at.inHold < 0 && part == holdName;
    at = {std::move(*next), joinPath(at.path, part),
          enters          ? ofHold
          : at.inHold < 0 ? -1
                          : at.inHold + 1,
          at.held};
    if (at.inHold < 0 || at.inHold > ofRun + 1) continue;
    const auto stat = files_.stat(*at.folder, {});
    if (!stat) return tl::unexpected(stat.error());
    if (at.inHold == ofRun + 1)
      at.held = stat->inode;
    else if (stat->owner != ::geteuid() || (stat->mode & 022u) != 0)
      return no(Errc::notPermitted, at.path, "not its own");
  }
  return at;
}

ChangeServer::Answer ChangeServer::makeFolder(const Json& params) {
  const Open* at = open(params, "at");
  const auto name = textIn(params, "name", 255);
  if (at == nullptr || !name) return refuse(invalidParams, "at and name");
  const bool fits =
      at->inHold < 0
          ? *name == holdName &&
                std::any_of(things_.begin(), things_.end(),
                            [&](const Thing& t) { return t.take && holdsFor(at->path, parentPath(t.path)); })
      : at->inHold == ofHold ? plainRelative(*name) && name->find('/') == std::string::npos
                             : at->inHold == ofJob && isRunName(*name);
  if (!fits) return refuse(Error{Errc::notPermitted, "change", joinPath(at->path, *name), 0, "order"});
  if (const auto made = files_.makeFolder(*at->folder, *name, 0700); !made) return refuse(made.error());
  return Json(true);
}

bool ChangeServer::isBedrock(const PathBytes& path) const {
  return !places_ || places_->locked(path) || places_->holdsRoot(path);
}

Result<void> ChangeServer::mayTake(const PathBytes& path, const EntryStat& now, const Open& to,
                                   std::string_view newName) {
  const auto thing = byPath_.find(path);
  if (thing == byPath_.end() || !things_[thing->second].take) return no(Errc::notPermitted, path, "order");
  if (!sameContent(identityOf(now), things_[thing->second].identity))
    return no(Errc::changed, path, "identity");
  if (isBedrock(path)) return no(Errc::bedrock, path, "bedrock");
  const PathBytes base(parentPath(parentPath(parentPath(to.path))));
  if (to.inHold != ofRun || !holdsFor(base, parentPath(path)) || !isNumber(newName))
    return no(Errc::notPermitted, path, "hold");
  return {};
}

/// The thing that something held is, by its identity, if this may be done with it.
const ChangeServer::Thing* ChangeServer::heldThing(const EntryStat& now, bool Thing::*right) const {
  const auto found = byInode_.find(now.inode);
  if (found == byInode_.end()) return nullptr;
  for (const std::size_t i : found->second) {
    const Identity is = identityOf(now);
    const bool folder = is.kind == EntryKind::folder && things_[i].identity.kind == EntryKind::folder;
    if (things_[i].*right && (folder || sameContent(is, things_[i].identity))) return &things_[i];
  }
  return nullptr;
}

Result<void> ChangeServer::mayGiveBack(const EntryStat& now, const Open& to, std::string_view newName) const {
  const auto found = byInode_.find(now.inode);
  if (found == byInode_.end() || heldThing(now, &Thing::giveBack) == nullptr)
    return no(Errc::notPermitted, to.path, "order");
  for (const std::size_t i : found->second) {
    const auto name = baseName(things_[i].path);
    if (!things_[i].giveBack || to.path != parentPath(things_[i].path)) continue;
    if (newName == name) return {};
    for (int attempt = 1; attempt < 1000; ++attempt)
      if (newName == HoldPlace::besideName(name, attempt)) return {};
  }
  return no(Errc::notPermitted, to.path, "order");
}

ChangeServer::Answer ChangeServer::move(const Json& params) {
  const Open* at = open(params, "at");
  const Open* to = open(params, "to");
  const auto name = textIn(params, "name", 255), newName = textIn(params, "new_name", 255);
  if (at == nullptr || to == nullptr || !name || !newName || name->empty() || newName->empty())
    return refuse(invalidParams, "at, name, to and new_name");
  const auto now = files_.stat(*at->folder, *name);
  if (!now) return refuse(now.error());
  const PathBytes path = joinPath(at->path, *name);
  Result<void> may = no(Errc::notPermitted, path, "order");
  if (at->inHold < 0) may = mayTake(path, *now, *to, *newName);
  if (at->inHold == ofRun && to->inHold < 0 && isNumber(*name)) may = mayGiveBack(*now, *to, *newName);
  if (!may) return refuse(may.error());
  if (const auto moved = files_.rename(*at->folder, *name, *to->folder, *newName); !moved)
    return refuse(moved.error());
  return Json(true);
}

bool ChangeServer::releases(std::uint64_t inode) const {
  const auto found = byInode_.find(inode);
  return found != byInode_.end() && std::any_of(found->second.begin(), found->second.end(),
                                                [&](std::size_t i) { return things_[i].release; });
}

/// What lies in a held thing goes with it; empty folders of a hold and its lists serve nothing any more; and
/// where a drive has no room for a hold, a file goes where it stands.
Result<void> ChangeServer::mayRemove(const Open& at, const PathBytes& name, bool folder) {
  const PathBytes path = joinPath(at.path, name);
  const auto refused = no(Errc::notPermitted, path, "order");
  if (at.inHold > ofRun) return releases(at.held) ? Result<void>() : refused;
  if (at.inHold == ofJob && !folder) return isListName(name) ? Result<void>() : refused;
  const auto now = files_.stat(*at.folder, name);
  if (!now) return tl::unexpected(now.error());
  if (at.inHold == ofRun) return heldThing(*now, &Thing::release) != nullptr ? Result<void>() : refused;
  if (at.inHold >= ofHold) return folder ? Result<void>() : refused;
  if (folder) return name == holdName && now->owner == ::geteuid() ? Result<void>() : refused;
  const auto thing = byPath_.find(path);
  if (thing == byPath_.end() || !things_[thing->second].take) return refused;
  if (!sameContent(identityOf(*now), things_[thing->second].identity))
    return no(Errc::changed, path, "identity");
  return isBedrock(path) ? Result<void>(no(Errc::bedrock, path, "bedrock")) : Result<void>();
}

ChangeServer::Answer ChangeServer::remove(const Json& params) {
  const Open* at = open(params, "at");
  const auto name = textIn(params, "name", 255);
  const Json folder = params.value("folder", Json());
  if (at == nullptr || !name || name->empty() || !folder.is_boolean())
    return refuse(invalidParams, "at, name and folder");
  if (const auto may = mayRemove(*at, *name, folder == true); !may) return refuse(may.error());
  const auto gone =
      folder == true ? files_.removeFolder(*at->folder, *name) : files_.unlink(*at->folder, *name);
  if (!gone) return refuse(gone.error());
  return Json(true);
}

ChangeServer::Answer ChangeServer::writeDown(const Json& params) {
  const Open* at = open(params, "at");
  const auto name = textIn(params, "name", 255), bytes = textIn(params, "bytes", mostRequestBytes);
  if (at == nullptr || !name || !bytes) return refuse(invalidParams, "at, name and bytes");
  if (at->inHold != ofJob || !isListName(*name))
    return refuse(Error{Errc::notPermitted, "change", joinPath(at->path, *name), 0, "order"});
  if (const auto written = files_.appendFile(*at->folder, *name, *bytes); !written)
    return refuse(written.error());
  return Json(true);
}

ChangeServer::Answer ChangeServer::sync(const Json& params) {
  const Open* at = open(params, "at");
  if (at == nullptr) return refuse(invalidParams, "at");
  if (const auto done = files_.syncFolder(*at->folder); !done) return refuse(done.error());
  return Json(true);
}

ChangeServer::Answer ChangeServer::know(const Json& params) {
  if (!steps_ || !steps_->know(params.value("entries", Json()))) return refuse(invalidParams, "entries");
  return Json(true);
}

ChangeServer::Answer ChangeServer::step(const Json& params) {
  const Open* root = top();
  if (!steps_ || root == nullptr) return refuse(Error{Errc::notPermitted, "step", {}, 0, "order"});
  auto done = steps_->carryOut(params, root->folder, !order_.consent.empty(),
                               [this](Bytes went) { (void)tell(Json(went)); });
  if (!done) return refuse(done.error());
  return std::move(*done);
}

}  // namespace zt::helper
