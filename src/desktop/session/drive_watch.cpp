// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/drive_watch.h"

#include <QSettings>
#include <QSocketNotifier>
#include <QTimer>
#include <algorithm>

#include "core/job/shop.h"
#include "core/job/sites/site.h"
#include "core/job/twins.h"

namespace zt::desktop {

namespace {

/// Adds what the register and the drive tell of earlier visits.
void addPast(const Workshop& workshop, DriveAtHand& at) {
  std::vector<PathBytes> folders;
  if (workshop.visits) {
    at.visits = workshop.visits->visits(at.drive.id).value_or(std::vector<Visit>{});
    folders = workshop.visits->holds(at.drive.id);
    at.loans = workshop.visits->loans(at.drive.id);
    for (Reminder& reminder : remindersOf(workshop))
      if (reminder.drive == at.drive.id) at.reminders.push_back(std::move(reminder));
  }
  if (at.standIn) {
    if (const auto holds = DriveHolds::open(workshop, at.path, true)) at.held = (*holds)->things();
  } else {
    at.held = heldOn(workshop, at.drive, folders);
  }
}

Result<DriveAtHand> standInAt(const Workshop& workshop, const PathBytes& folder) {
  const auto site = standInSite(workshop, folder);
  if (!site) return tl::unexpected(site.error());
  DriveAtHand at;
  at.path = folder;
  at.standIn = true;
  at.drive = (*site)->drive();
  at.targets = (*site)->ownTargets();
  for (const Target& t : headroomRules(at.drive)) at.targets.push_back(t);
  addPast(workshop, at);
  return at;
}

}  // namespace

DriveWatch::DriveWatch(const Workshop& workshop, QObject* parent)
    : QObject(parent),
      workshop_(workshop),
      rules_(followedRules(workshop)),
      queue_(std::make_unique<WorkQueue>(QStringLiteral("drives"))) {
  takeEarlierRules();
  watchMounts();
}

/// The rules that a version before kept among the window's settings.
void DriveWatch::takeEarlierRules() {
  const QString key = QStringLiteral("shopRules");
  QSettings settings;
  if (!settings.contains(key) || !workshop_.visits) return;
  const QStringList words = settings.value(key).toStringList();
  const bool nothingSaid = rules_.empty();
  for (int i = 0; i < targetOrigins && nothingSaid; ++i)
    if (const auto rule = static_cast<TargetOrigin>(i); words.contains(QString::fromUtf8(name(rule).data())))
      rules_.insert(rule);
  if (followRules(workshop_, rules_)) settings.remove(key);
}

/// A drive that is unmounted or unplugged leaves the Bench, and one that comes stands there: the kernel tells
/// of every change of the mount table (proc_pid_mountinfo(5)).
void DriveWatch::watchMounts() {
  constexpr int settles = 3000;  // ms: mounting one drive is several changes, and a look costs something
  mounts_.setFileName(QStringLiteral("/proc/self/mountinfo"));
  if (!mounts_.open(QIODevice::ReadOnly | QIODevice::Unbuffered)) return;
  auto* changed = new QSocketNotifier(mounts_.handle(), QSocketNotifier::Exception, this);
  auto* later = new QTimer(this);
  later->setSingleShot(true);
  later->setInterval(settles);
  connect(changed, &QSocketNotifier::activated, later, [later] {
    if (!later->isActive()) later->start();
  });
  connect(later, &QTimer::timeout, this, &DriveWatch::look);
}

void DriveWatch::show(std::vector<DriveAtHand> found, bool standIn) {
  if (standIn) {
    std::erase_if(drives_, [&](const auto& d) { return d.standIn && d.path == found.front().path; });
    drives_.insert(drives_.begin(), found.front());
  } else {
    std::erase_if(drives_, [](const auto& d) { return !d.standIn; });
    drives_.insert(drives_.end(), found.begin(), found.end());
  }
  for (auto& d : drives_) chooseRules(d.targets, rules_);
  Q_EMIT looked();
}

void DriveWatch::look() {
  std::vector<PathBytes> standIns;
  for (const DriveAtHand& drive : drives_)
    if (drive.standIn) standIns.push_back(drive.path);
  queue_->post([this, standIns, workshop = workshop_](const std::stop_token&) {
    std::vector<DriveAtHand> again;
    for (const PathBytes& folder : standIns)
      if (auto at = standInAt(workshop, folder)) again.push_back(std::move(*at));
    auto all = listDrives(workshop);
    std::vector<DriveAtHand> found;
    if (all)
      for (Drive& d : *all) {
        if (workshop.visits) zt::overrule(d, workshop.visits->overrule(d.id));
        DriveAtHand at;
        at.path = d.target;
        at.targets = headroomRules(d);
        at.drive = std::move(d);
        addPast(workshop, at);
        found.push_back(std::move(at));
      }
    QMetaObject::invokeMethod(
        this,
        [this, all = all ? Result<void>{} : Result<void>(tl::unexpected(all.error())), found, again,
         standIns] {
          if (!all) Q_EMIT failed(all.error());
          known_ = true;
          // A stand-in whose folder is gone is at hand no more.
          std::erase_if(drives_, [&](const DriveAtHand& d) {
            const auto is = [&](const auto& other) { return other.path == d.path; };
            const bool asked = std::find(standIns.begin(), standIns.end(), d.path) != standIns.end();
            return d.standIn && asked && std::none_of(again.begin(), again.end(), is);
          });
          for (const DriveAtHand& standIn : again) show({standIn}, true);
          show(found, false);
        },
        Qt::QueuedConnection);
  });
}

void DriveWatch::addStandIn(const PathBytes& folder) {
  queue_->post([this, folder, workshop = workshop_](const std::stop_token&) {
    const auto at = standInAt(workshop, folder);
    QMetaObject::invokeMethod(
        this,
        [this, at, folder] {
          if (!at) return Q_EMIT failed(at.error());
          show({*at}, true);
          Q_EMIT standInAdded(QByteArray::fromStdString(folder));
        },
        Qt::QueuedConnection);
  });
}

void DriveWatch::overrule(const Drive& drive, const DriveOverrule& said) {
  queue_->post([this, id = drive.id, said, visits = workshop_.visits](const std::stop_token&) {
    Result<void> kept = fail(Errc::unsupported, "register");
    if (visits) kept = visits->setOverrule(id, said);
    if (!kept)
      QMetaObject::invokeMethod(
          this, [this, kept] { Q_EMIT failed(kept.error()); }, Qt::QueuedConnection);
  });
  look();
}

void DriveWatch::sayTwin(const Drive& drive, bool same) {
  queue_->post([this, drive, same, visits = workshop_.visits](const std::stop_token&) {
    Result<void> kept = fail(Errc::unsupported, "register");
    if (visits) kept = zt::sayTwin(drive, same, *visits);
    if (!kept)
      QMetaObject::invokeMethod(
          this, [this, kept] { Q_EMIT failed(kept.error()); }, Qt::QueuedConnection);
  });
  look();
}

void DriveWatch::putBack(const DriveAtHand& drive) {
  queue_->post(
      [this, path = drive.path, standIn = drive.standIn, workshop = workshop_](const std::stop_token& stop) {
        Result<std::vector<JournalRecord>> back = fail(Errc::notThere, "put-back");
        if (auto holds = DriveHolds::open(workshop, path, standIn))
          back = (*holds)->putBack(stop);
        else
          back = tl::unexpected(holds.error());
        QMetaObject::invokeMethod(
            this,
            [this, back, path, standIn] {
              if (!back) return Q_EMIT failed(back.error());
              const auto returned = std::count_if(
                  back->begin(), back->end(), [](const auto& r) { return r.state == ItemState::returned; });
              Q_EMIT putBackEnded(static_cast<std::size_t>(returned),
                                  back->size() - static_cast<std::size_t>(returned));
              if (standIn)
                addStandIn(path);
              else
                look();
            },
            Qt::QueuedConnection);
      });
}

void DriveWatch::setShopRule(TargetOrigin origin, bool followed) {
  if (followed)
    rules_.insert(origin);
  else
    rules_.erase(origin);
  // Without a register the Bench shows them for as long as the window is open, and no job follows them.
  if (workshop_.visits) {
    keeping_ = {};  // one after another
    // On a thread of its own that the window waits for when it closes: what waits in the queue is dropped
    // then.
    keeping_ = std::async(std::launch::async, [this, rules = rules_, workshop = workshop_] {
      const auto kept = followRules(workshop, rules);
      if (!kept)
        QMetaObject::invokeMethod(
            this, [this, kept] { Q_EMIT failed(kept.error()); }, Qt::QueuedConnection);
    });
  }
  for (auto& d : drives_) chooseRules(d.targets, rules_);
  Q_EMIT looked();
}

}  // namespace zt::desktop
