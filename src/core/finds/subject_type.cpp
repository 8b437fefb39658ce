// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/subject_type.h"

#include <algorithm>
#include <array>

#include "core/finds/hold_name.h"

namespace zt {

Result<void> checkPoint(const FindContext& context, const Subject& item) {
  const auto point = context.pointOf(item);
  if (!point || context.points[*point].path != item.path) return fail(Errc::changed, "plan", item.path);
  const PointLock lock = context.points.lock(*point);
  if (lock == PointLock::mounted) return fail(Errc::inUse, "plan", item.path, std::string(name(lock)));
  if (lock == PointLock::newest) return fail(Errc::lastCopy, "plan", item.path, std::string(name(lock)));
  if (lock != PointLock::none) return fail(Errc::bedrock, "plan", item.path, std::string(name(lock)));
  return {};
}

Result<void> checkMember(const FindContext& context, NodeId node, const PathBytes& path) {
  const PointLock lock = context.points.lockAround(context.tree, node);
  if (lock == PointLock::none) return {};
  return fail(Errc::lastCopy, "plan", path, std::string(name(lock)));
}

namespace {
/// The top of a subvolume goes only where it is known as a state that nobody has mounted or starts from.
bool mayGoWithItsTop(const FindContext& context, NodeId node) {
  if (context.survey.fsType != "btrfs" || node == 0 || context.survey.standIn) return true;
  if (!context.tree.isFolder(node) || context.tree.inode(node) != subvolumeTopInode) return true;
  const auto state = context.points.memberAt(node);
  return state && context.points.seriesOf(*state).walked &&
         context.points.lock(*state) == PointLock::writable && !context.points[*state].isDefault;
}
}  // namespace

Result<void> checkWhole(const FindContext& context, NodeId node, const PathBytes& path) {
  if (!mayGoWithItsTop(context, node)) return fail(Errc::otherDevice, "plan", path);
  if (!context.cannotGo(node)) return {};
  const SurveyTree& tree = context.tree;
  const auto in = [&](NodeId id) { return id != noNode && context.gain.beneath(id, node); };
  const auto refuse = [&](Errc code, NodeId by) {
    return fail(code, "plan", path, escapePath(tree.path(by)));
  };
  // A snapshot beneath it goes as what it is, or not at all.
  for (std::size_t i = 0; i < context.points.kept(); ++i)
    if (in(context.points[i].node)) return refuse(Errc::otherDevice, context.points[i].node);
  for (const SurveyException& e : context.survey.exceptions) {
    if (!in(e.node)) continue;
    // What was not seen cannot be compared, so it cannot go.
    if (e.kind == SurveyException::Kind::mountedOver) return refuse(Errc::inUse, e.node);
    if (e.kind == SurveyException::Kind::unreadable || e.kind == SurveyException::Kind::unanswered)
      return refuse(Errc::notPermitted, e.node);
  }
  for (NodeId id = node; id < tree.size(); ++id)
    if (tree.isFixed(id) && !tree.isGone(id) && in(id)) return refuse(Errc::notPermitted, id);
  return refuse(Errc::notPermitted, tree.parent(node));
}

namespace {

class EntryType final : public SubjectType {
public:
  std::string_view id() const override { return "entry"; }
  bool isWeighed(const Subject& item) const override { return item.node != noNode; }
  TimeNs time(const SurveyTree& tree, const Subject& item) const override {
    if (item.node == noNode) return 0;
    return tree.isFolder(item.node) ? tree.totals(item.node).newest : tree.modified(item.node);
  }
  bool find(const SurveyTree& tree, Subject& item) const override {
    const auto node = tree.find(item.path);
    if (node) item.node = *node;
    return node.has_value();
  }
  Result<void> bind(const SurveyTree& tree, Subject& item) const override {
    if (!plainRelative(item.path)) return fail(Errc::outsideRoot, "plan", item.path);
    const auto node = tree.find(item.path);
    if (!node) return fail(Errc::notThere, "plan", item.path);
    if (tree.identity(*node) != item.identity) return fail(Errc::changed, "plan", item.path);
    item.node = *node;
    return {};
  }
  std::optional<Judgement> judged(const FindContext& context, const Subject& item) const override {
    if (item.node == noNode) return std::nullopt;
    return context.strictest(item.node);
  }
  Result<void> leavesItsSeries(const FindContext& context, const Subject& item) const override {
    return checkMember(context, item.node, item.path);
  }
  Result<void> isFree(const FindContext& context, const Subject& item) const override {
    return context.locked(item.path) ? fail(Errc::bedrock, "plan", item.path) : Result<void>{};
  }
  Result<NodeId> onPaper(const FindContext& context, const Marks& marks, const Subject& item) const override {
    if (!plainRelative(item.path)) return fail(Errc::outsideRoot, "guard", item.path);
    const auto parts = splitPath(item.path);
    if (std::find(parts.begin(), parts.end(), holdName) != parts.end())
      return fail(Errc::bedrock, "guard", item.path);
    if (context.locked(item.path)) return fail(Errc::bedrock, "guard", item.path);
    if (marks.locks(item.path)) return fail(Errc::kept, "guard", item.path);
    const auto node = context.tree.find(item.path);
    if (!node) return fail(Errc::notThere, "guard", item.path);
    if (context.tree.identity(*node) != item.identity) return fail(Errc::changed, "guard", item.path);
    if (auto may = checkMember(context, *node, item.path); !may) return tl::unexpected(may.error());
    if (auto may = checkWhole(context, *node, item.path); !may) return tl::unexpected(may.error());
    return *node;
  }
};

class PointType final : public SubjectType {
public:
  std::string_view id() const override { return "point"; }
  bool isWeighed(const Subject&) const override { return true; }
  bool isLayerOfItsOwn() const override { return true; }
  TimeNs time(const SurveyTree&, const Subject& item) const override { return item.identity.modified; }
  /// What was received may be the only copy of what another machine sent.
  std::optional<Judgement> judged(const FindContext& context, const Subject& item) const override {
    const auto point = context.pointOf(item);
    const bool received = point && !context.points[*point].receivedUuid.empty();
    return Judgement{Standing::ownersCall, received ? Regret::personalGone : Regret::wayBack};
  }
  /// Kept itself, or the folder that it is seen in.
  bool isKept(const Marks& marks, const FindContext& context, const Subject& item) const override {
    const auto point = context.pointOf(item);
    const NodeId node = point ? context.points[*point].node : noNode;
    return marks.locks(item.path) || (node != noNode && marks.locks(context.tree.path(node)));
  }
  Result<void> leavesItsSeries(const FindContext& context, const Subject& item) const override {
    return checkPoint(context, item);
  }
  Result<NodeId> onPaper(const FindContext& context, const Marks& marks, const Subject& item) const override {
    if (isKept(marks, context, item)) return fail(Errc::kept, "guard", item.path);
    if (auto may = checkPoint(context, item); !may) return tl::unexpected(may.error());
    return noNode;
  }
};

/// What no survey holds: a step that touches such a thing finds and checks it by itself.
class OutsideType final : public SubjectType {
public:
  explicit OutsideType(std::string_view id) : id_(id) {}
  std::string_view id() const override { return id_; }
  Result<NodeId> onPaper(const FindContext& context, const Marks& marks, const Subject& item) const override {
    if (isKept(marks, context, item)) return fail(Errc::kept, "guard", item.path);
    return noNode;
  }

private:
  std::string_view id_;
};

}  // namespace

const SubjectType& typeOf(SubjectKind kind) {
  static const EntryType entry;
  static const PointType point;
  static const OutsideType package{"package"};
  static const OutsideType memory{"memory"};
  static const OutsideType interior{"interior"};
  static const std::array<const SubjectType*, subjectKinds> all{&entry, &point, &package, &memory, &interior};
  return *all[static_cast<std::size_t>(kind)];
}

std::string_view name(SubjectKind kind) {
  return typeOf(kind).id();
}

}  // namespace zt
