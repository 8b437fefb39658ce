// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <optional>

#include "core/points/linked_series.h"
#include "core/survey/survey.h"
#include "core/survey/tree/gain_model.h"

namespace zt {

/// Why a point must stay.
enum class PointLock : std::uint8_t {
  none,
  newest,       ///< of its series: the last way back
  mounted,      ///< somebody works in it
  isDefault,    ///< the system starts from it
  holdsOthers,  ///< other subvolumes lie in it
  writable,     ///< somebody went on in it, or could: what lies in it is decided on as files
  foreign       ///< only its own system can let it go
};
constexpr int pointLocks = 7;
/// The name used in JSON.
std::string_view name(PointLock lock);

/// Points of one origin, the oldest first, as the file system counts and whatever their dates say.
struct PointSeries {
  std::string origin;    ///< what they are kept of, or the folder that they came to; never shown as it is
  PathBytes place;       ///< the folder that all of them lie in
  bool linked = false;   ///< folders that share their files, which go as folders do
  bool foreign = false;  ///< kept by another system, as files of its own
  bool walked = false;   ///< can be gone on in, and lies in the survey as files
  std::vector<std::uint32_t> points;
};

/// Bytes of a set of points.
struct PointSum {
  Bytes frees = 0;    ///< by the drive's own counter, when its file system has cleaned up
  Bytes records = 0;  ///< beside that, of its own records, which come back to those
  bool exact = false;
  bool operator==(const PointSum&) const = default;
};

/// Bytes that neighbours of a series hold together, and nobody else.
struct PointSpan {
  std::uint32_t first = 0, last = 0;  ///< places in the series
  Bytes bytes = 0;
};

/// The points of a survey: those that its file system keeps, and after them what lies in files: the members
/// of linked series, what another system keeps, and states that were gone on in; their series, what each and
/// any set of them holds. Sums go over groups of holders and never over files. Immutable; any thread. The
/// survey must outlive it.
class PointModel {
public:
  PointModel(const Survey& survey, const GainModel& gain, TimeNs now);

  std::size_t size() const { return own_.size(); }
  bool empty() const { return own_.empty(); }
  /// How many the file system keeps; the first ones.
  std::size_t kept() const { return holdings_ ? holdings_->points.size() : 0; }
  const Point& operator[](std::size_t i) const {
    return i < kept() ? holdings_->points[i] : folders_[i - kept()];
  }
  const std::vector<PointSeries>& series() const { return series_; }
  const PointSeries& seriesOf(std::uint32_t point) const { return series_[seriesOf_[point]]; }
  PointLock lock(std::uint32_t point) const { return locks_[point]; }
  /// Whether it is known what they hold.
  bool exact(const PointSeries& series) const;
  /// Whether a rule or a proposal may let it go: nothing locks it, and nobody can have gone on in it.
  bool mayGoByRule(std::uint32_t point) const {
    return lock(point) == PointLock::none && (point >= kept() || (*this)[point].readOnly);
  }
  /// What comes free if this one alone goes.
  Bytes own(std::uint32_t point) const { return own_[point]; }
  /// What comes free if all of these go; files that are let go as well are the gain model's.
  PointSum of(const GainModel::Points& chosen) const;
  /// By places in the series, the shorter ones first. What is held in pieces is left out.
  std::vector<PointSpan> spans(const PointSeries& series) const;
  /// The point of the file system with this number and date; nothing if it is not there any more.
  std::optional<std::uint32_t> find(std::uint64_t id, TimeNs taken) const;
  /// Why an entry must stay that is, lies in, or has in it a state that lies in files and must stay.
  PointLock lockAround(const SurveyTree& tree, NodeId node) const;
  /// The member of a linked series that a folder is.
  std::optional<std::uint32_t> memberAt(NodeId folder) const;

private:
  void findSeries();
  void findLocks();
  void findOwn(const GainModel& gain);
  void addLinked(const SurveyTree& tree, TimeNs now);
  void addForeign(const SurveyTree& tree);
  void addWalked();
  void lockIn(const SurveyTree& tree, NodeId node, PointLock lock);
  void add(PointSeries& series, Point point, PointLock lock);
  template <class Each>
  void eachGroup(Each each) const;

  HoldingsPtr holdings_;
  std::vector<Point> folders_;  ///< what lies in files
  LinkedHoldings linked_;
  std::vector<PointSeries> series_;
  std::vector<std::uint32_t> seriesOf_;
  absl::flat_hash_map<NodeId, PointLock> lockedAt_;     ///< states in files that must stay
  absl::flat_hash_map<NodeId, PointLock> aboveLocked_;  ///< and the folders that these lie in
  std::vector<PointLock> locks_;
  std::vector<Bytes> own_;
  std::vector<bool> ownExact_;  ///< by place in `folders_`
};

/// Which points stay.
struct PointPolicy {
  enum class Rule : std::uint8_t {
    newest,       ///< so many of the newest
    daily,        ///< the newest of each day (UTC)
    weekly,       ///< of each week, which begins on Monday
    monthly,      ///< of each month
    youngerThan,  ///< so many days
    share         ///< as many of the newest as take so many hundredths of the drive
  };
  Rule rule = Rule::newest;
  std::uint64_t amount = 3;
};
/// "newest 3", "daily", "weekly", "monthly", "younger 30d", "share 10%". Nothing for anything else.
std::optional<PointPolicy> parsePolicy(std::string_view words);

/// The points that would go by a policy, in every series by itself; the newest of each and what is locked
/// stay always. By rules about dates, so does a point whose date does not agree with those around it.
GainModel::Points pointsToGo(const PointModel& model, const PointPolicy& policy, Bytes capacity, TimeNs now);

}  // namespace zt
