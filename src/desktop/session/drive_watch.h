// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFile>
#include <QObject>
#include <QStringList>
#include <future>
#include <set>

#include "core/job/drive_holds.h"
#include "core/job/register.h"
#include "core/job/reminders.h"
#include "desktop/session/work_queue.h"

namespace zt::desktop {

/// A drive at hand, and what is known of earlier visits to it.
struct DriveAtHand {
  Drive drive;
  PathBytes path;  ///< what is opened: the mount's top, or a stand-in's folder
  bool standIn = false;
  std::vector<Target> targets;  ///< its own, and the headroom rules as the shop follows them
  std::vector<Visit> visits;    ///< oldest first
  std::vector<HeldThing> held;
  std::vector<OpenLoan> loans;
  std::vector<Reminder> reminders;  ///< what is still to be seen to on it
};

/// Looks for attached drives and reads what the register and the drives themselves tell of earlier visits, on
/// a thread of its own. Public members belong to the GUI thread.
class DriveWatch final : public QObject {
  Q_OBJECT
public:
  explicit DriveWatch(const Workshop& workshop, QObject* parent = nullptr);

  /// Drives that were found last, stand-ins first; without attached drives until they were looked for.
  const std::vector<DriveAtHand>& drives() const { return drives_; }
  /// Whether attached drives were looked for already.
  bool known() const { return known_; }
  void look();
  /// Reads a stand-in and puts it on the shelf.
  void addStandIn(const PathBytes& folder);
  /// What somebody says of a drive, kept in the register; the drives are then looked for again.
  void overrule(const Drive& drive, const DriveOverrule& said);
  /// Keeps whether a drive is the one of earlier visits, or another one that was copied from it.
  void sayTwin(const Drive& drive, bool same);
  /// Puts everything back that lies in the holds of a drive, whichever job put it there.
  void putBack(const DriveAtHand& drive);
  /// Which headroom rules the shop follows.
  void setShopRule(TargetOrigin origin, bool followed);

Q_SIGNALS:
  void looked();
  void standInAdded(const QByteArray& folder);
  void putBackEnded(std::size_t returned, std::size_t left);
  void failed(const zt::Error& error);

private:
  void show(std::vector<DriveAtHand> found, bool standIn);
  Workshop workshop_;
  void watchMounts();
  void takeEarlierRules();
  std::vector<DriveAtHand> drives_;
  bool known_ = false;
  std::set<TargetOrigin> rules_;  ///< that the shop follows
  QFile mounts_;                  ///< tells when something is mounted or unmounted
  std::unique_ptr<WorkQueue> queue_;
  std::future<void> keeping_;  ///< what the shop says is being written; the last to be made, the first to go
};

}  // namespace zt::desktop
