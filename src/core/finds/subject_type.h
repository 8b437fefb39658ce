// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/finds/find_context.h"
#include "core/finds/marks.h"

namespace zt {

/// Everything that follows from what kind of thing a subject is: how it is found again, what it weighs, and
/// why it may not go. Stateless; any thread. What a kind does not override is that of things which no survey
/// holds: packages, memory, what lies inside an image.
class SubjectType {
public:
  virtual ~SubjectType() = default;
  /// Its name in JSON.
  virtual std::string_view id() const = 0;
  /// Whether the survey knows what it holds; else only its find says what it gives.
  virtual bool isWeighed(const Subject& /*item*/) const { return false; }
  /// Pictures show what it holds as a layer of its own, beside the layers of files.
  virtual bool isLayerOfItsOwn() const { return false; }
  /// When it was last changed, or made; 0 where nothing is known. Nanoseconds since 1970 UTC.
  virtual TimeNs time(const SurveyTree& /*tree*/, const Subject& /*item*/) const { return 0; }
  /// Tells things of one kind apart where `node` does not.
  virtual std::uint64_t number(const Subject& item) const { return item.identity.inode; }

  /// Takes its number from a survey in which it stands at its path; false if nothing does.
  virtual bool find(const SurveyTree& /*tree*/, Subject& /*item*/) const { return true; }
  /// The same for one that comes from outside, and must be what it was. Fails with outsideRoot, notThere,
  /// changed.
  virtual Result<void> bind(const SurveyTree& /*tree*/, Subject& /*item*/) const { return {}; }
  /// What it is to let it go; nothing where only its find knows.
  virtual std::optional<Judgement> judged(const FindContext& /*context*/, const Subject& /*item*/) const {
    return std::nullopt;
  }
  /// Whether anybody said keep of it.
  virtual bool isKept(const Marks& marks, const FindContext& /*context*/, const Subject& item) const {
    return marks.locks(item.path);
  }
  /// Whether the series that it belongs to lets it go. Fails with lastCopy, inUse, bedrock, changed.
  virtual Result<void> leavesItsSeries(const FindContext& /*context*/, const Subject& /*item*/) const {
    return {};
  }
  /// Whether the system needs it where it is. Fails with bedrock.
  virtual Result<void> isFree(const FindContext& /*context*/, const Subject& /*item*/) const { return {}; }
  /// All that can be said without a look at the drive, as it is asked before anything is touched: a plain
  /// place, not locked, not kept, what was measured, and whole. Gives its number in the survey; noNode for
  /// what has none.
  virtual Result<NodeId> onPaper(const FindContext& context, const Marks& marks,
                                 const Subject& item) const = 0;
};

/// One row a kind.
const SubjectType& typeOf(SubjectKind kind);
inline const SubjectType& typeOf(const Subject& item) {
  return typeOf(item.kind);
}

/// Whether a point is the one that was measured and may go: fails with changed, inUse (it is mounted),
/// lastCopy (the newest of its series), bedrock (the system starts from it, others lie in it).
Result<void> checkPoint(const FindContext& context, const Subject& item);

/// Fails with lastCopy for a folder that is the newest of a series of folders which share their files: it
/// goes neither by itself, nor with what it lies in, nor a part of it.
Result<void> checkMember(const FindContext& context, NodeId node, const PathBytes& path);

/// Fails where an entry cannot go as a whole: with otherDevice if a snapshot lies in it, inUse if something
/// is mounted in it, notPermitted if something in it was not seen, is immutable, or may not be removed. The
/// detail is what keeps it.
Result<void> checkWhole(const FindContext& context, NodeId node, const PathBytes& path);

}  // namespace zt
