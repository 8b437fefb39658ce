// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/bench/bench_station.h"

#include <QtWidgets>

#include "desktop/session/compare_desk.h"
#include "desktop/style/language.h"
#include "desktop/style/look.h"

namespace zt::desktop {

BenchStation::BenchStation(Session& session, DriveWatch& drives, Prompter& prompter, QWidget* parent)
    : Station(session, prompter, parent), drives_(drives) {
  setObjectName(QStringLiteral("benchStation"));
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(30, 14, 30, 14);
  faces_ = new QStackedWidget(this);
  outer->addWidget(faces_);
  auto* drivesFace = new QWidget(this);
  faces_->addWidget(drivesFace);
  bench_ = new QVBoxLayout(drivesFace);
  bench_->setContentsMargins(0, 0, 0, 0);
  changes_ = new ChangesView(this);
  faces_->addWidget(changes_);
  connect(changes_, &ChangesView::closed, this, [this] {
    faces_->setCurrentIndex(0);
    shelf_->setFocus();
  });
  setupShelf();
  setupTargets();
  setupFoot();
  connect(&drives_, &DriveWatch::looked, this, [this] {
    refresh();
    Q_EMIT chosenChanged();
  });
}

void BenchStation::setupShelf() {
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Bench"), this));
  head->addSpacing(10);
  head->addWidget(noteLabel(tr("drives at hand"), this));
  head->addStretch();
  auto* folder = linkButton(tr("Open a folder…"), "openFolder", this);
  auto* job = linkButton(tr("Open a job…"), "openJob", this);
  auto* standIn = linkButton(tr("Stand-in drive…"), "openStandIn", this);
  for (auto* b : {folder, job, standIn}) head->addWidget(b), head->addSpacing(12);
  connect(folder, &QPushButton::clicked, this, &BenchStation::folderRequested);
  connect(job, &QPushButton::clicked, this, &BenchStation::jobRequested);
  connect(standIn, &QPushButton::clicked, this, &BenchStation::standInRequested);
  bench_->addLayout(head);
  shelf_ = new DriveShelf(this);
  bench_->addWidget(shelf_, 3);
  connect(shelf_, &DriveShelf::choose, this, &BenchStation::choose);
  connect(shelf_, &DriveShelf::activated, this, [this](int index) {
    choose(index);
    measureChosen();
  });
}

void BenchStation::setupTargets() {
  auto* row = new QHBoxLayout;
  auto* left = new QVBoxLayout;
  targetsTitle_ = titleLabel(tr("Targets"), this);
  targetsTitle_->setFont(typeface(Type::strong));
  left->addWidget(targetsTitle_);
  targets_ = ledgerView("targets", tr("Targets"), this);
  targets_->setProperty("word", QStringLiteral("target"));
  targetRows_ = new RowsModel({tr("what for"), tr("free needed"), tr("today"), tr("why")}, {1, 2}, this);
  targets_->setModel(targetRows_);
  targets_->setMinimumHeight(80);
  targets_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Ignored);
  targets_->header()->setSectionResizeMode(3, QHeaderView::Stretch);
  targets_->header()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
  targets_->setColumnWidth(1, 96);
  targets_->setColumnWidth(
      2,
      std::max(110, targets_->fontMetrics().horizontalAdvance(tr("%1 short").arg(QLatin1String("000.0 GB"))) +
                        24));
  targets_->setToolTip(
      tr("Ticked lines are targets. Rules that the shop does not follow are shown all the same."));
  connect(targetRows_, &RowsModel::toggled, this, &BenchStation::toggleTarget);
  left->addWidget(targets_, 1);
  row->addLayout(left, 8);
  visits_ = new VisitsPanel(this);
  row->addWidget(visits_, 5);
  bench_->addLayout(row, 2);
  connect(visits_, &VisitsPanel::jobWanted, this, &BenchStation::jobFileRequested);
  connect(visits_, &VisitsPanel::compareWanted, this, &BenchStation::compareWith);
  connect(visits_, &VisitsPanel::putBackWanted, this, [this] {
    if (const DriveAtHand* d = chosen(); d != nullptr && !session_.busy()) drives_.putBack(*d);
  });
}

void BenchStation::setupFoot() {
  auto* foot = new QHBoxLayout;
  addTarget_ = linkButton(tr("Add a target…"), "addTarget", this);
  dropTarget_ = linkButton(tr("Drop the chosen task"), "dropTarget", this);
  auto* kind = linkButton(tr("What it is…"), "driveKind", this);
  kind->setToolTip(tr("Say what the drive is where the hardware says it wrongly; the rules follow"));
  measure_ = button(tr("Measure"), "measure", this, true);
  for (auto* b : {addTarget_, dropTarget_, kind}) foot->addWidget(b), foot->addSpacing(16);
  foot->addStretch();
  foot->addWidget(measure_);
  bench_->addLayout(foot);
  connect(addTarget_, &QPushButton::clicked, this, &BenchStation::addTarget);
  connect(dropTarget_, &QPushButton::clicked, this, &BenchStation::dropTarget);
  connect(kind, &QPushButton::clicked, this, &BenchStation::overruleKind);
  connect(measure_, &QPushButton::clicked, this, [this] { measureChosen(); });
  connect(targets_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this] {
    const int row = targets_->currentIndex().row();
    const DriveAtHand* d = chosen();
    dropTarget_->setEnabled(d != nullptr && isOpen(*d) && row >= 0 && row < std::ssize(view().targets) &&
                            view().targets[static_cast<std::size_t>(row)].origin == TargetOrigin::task);
  });
}

void BenchStation::compareWith(const QByteArray& file) {
  if (session_.busy()) return;
  if (!view().survey) {
    prompter_.tell(this, tr("What changed"),
                   tr("Measure the drive first: that visit is compared with what it is now."));
    return;
  }
  CompareDesk(session_).compareWith(file.toStdString(),
                                    [this, alive = QPointer(this)](const ComparedPtr& compared) {
                                      if (!alive) return;
                                      changes_->show(compared);
                                      faces_->setCurrentIndex(1);
                                    });
}

const DriveAtHand* BenchStation::chosen() const {
  const auto& all = drives_.drives();
  for (const auto& d : all)
    if (d.drive.id == chosenId_ && d.standIn == chosenStandIn_) return &d;
  return all.empty() ? nullptr : &all.front();
}

void BenchStation::chooseStandIn(const PathBytes& folder) {
  for (const auto& d : drives_.drives())
    if (d.standIn && d.path == folder) chosenId_ = d.drive.id, chosenStandIn_ = true;
  refresh();
  Q_EMIT chosenChanged();
}

bool BenchStation::isOpen(const DriveAtHand& d) const {
  return view().open && view().drive.id == d.drive.id && view().drive.target == d.drive.target;
}

DrivePicture BenchStation::picture() const {
  const DriveAtHand* d = chosen();
  if (d == nullptr) return view().picture();
  if (isOpen(*d)) return view().picture();
  DrivePicture p;
  p.shown = true;
  p.drive = d->drive;
  p.targets = d->targets;
  p.free = d->drive.usage.available;
  return p;
}

namespace {
/// "measured 10:42", "visited 3 months", "never measured here".
QString pastOf(const DriveAtHand& d, bool open, const SurveyPtr& survey, TimeNs now) {
  if (open && survey) return BenchStation::tr("measured %1").arg(clockTime(survey->finished));
  const auto last = std::find_if(d.visits.rbegin(), d.visits.rend(),
                                 [](const Visit& v) { return v.kind == VisitKind::measured; });
  if (last == d.visits.rend()) return BenchStation::tr("not measured before");
  const QString age = say(&Words::age, last->when, now);
  return BenchStation::tr("measured before: %1").arg(age);
}
}  // namespace

void BenchStation::fillShelf() {
  const TimeNs now = QDateTime::currentMSecsSinceEpoch() * 1'000'000;
  QList<ShelfDrive> all;
  int at = -1;
  for (const DriveAtHand& d : drives_.drives()) {
    ShelfDrive shelf;
    shelf.drive = d.drive;
    shelf.path = d.path;
    shelf.standIn = d.standIn;
    shelf.targets = d.targets;
    const bool open = isOpen(d);
    DrivePicture p;
    p.shown = true;
    p.drive = d.drive;
    p.free = d.drive.usage.available;
    if (open) {
      p = view().picture();
      shelf.drive = view().drive;
      shelf.drive.usage.available = view().free;
      shelf.targets = view().targets;
    }
    shelf.blocks = blocksOf(p, 0);
    shelf.measured = pastOf(d, open, view().survey, now);
    if (&d == chosen()) at = static_cast<int>(all.size());
    all.append(shelf);
  }
  const QSignalBlocker quiet(shelf_);
  shelf_->show(all, at);
  visits_->show(chosen(), now);
}

void BenchStation::fillTargets() {
  const DriveAtHand* d = chosen();
  targetsTitle_->setText(d != nullptr ? tr("Targets of %1").arg(say(&Words::driveName, d->drive))
                                      : tr("Targets"));
  QList<Row> rows;
  if (d != nullptr) {
    const bool open = isOpen(*d);
    const Bytes free = open ? view().free : d->drive.usage.available;
    int number = 0;
    for (const Target& t : open ? view().targets : d->targets) {
      const SignedBytes over = surplus(t, free);
      const QString today = over >= 0 ? tr("%1 over").arg(say(&Words::signedBytes, over))
                                      : tr("%1 short").arg(say(&Words::signedBytes, -over));
      rows.append(
          {QString::number(number++),
           -1,
           open || t.origin != TargetOrigin::task,
           t.chosen,
           {{say(&Words::targetName, t), say(&Words::targetReason, t), t.chosen, false, !t.chosen, false},
            {say(&Words::bytes, t.bytes), say(&Words::exact, t.bytes), t.chosen, false, !t.chosen, true},
            {today, {}, false, t.chosen && over < 0, !t.chosen, true},
            {say(&Words::targetReason, t), say(&Words::targetReason, t), false, false, true, false}}});
    }
  }
  targetRows_->setRows(rows);
  // Three letters of a reason are none: where there is no room it is told under the pointer.
  constexpr int worthShowing = 560;
  targets_->setColumnHidden(3, targets_->width() < worthShowing);
}

void BenchStation::refresh() {
  fillShelf();
  fillTargets();
  const DriveAtHand* d = chosen();
  const bool open = d != nullptr && isOpen(*d);
  measure_->setText(open && view().survey ? tr("Measure again") : tr("Measure"));
  measure_->setToolTip(tr("Ctrl+M, or Enter on the drive"));
  measure_->setEnabled(d != nullptr && d->drive.answers && !session_.busy());
  addTarget_->setEnabled(d != nullptr && !session_.busy());
  const int row = targets_->currentIndex().row();
  dropTarget_->setEnabled(open && row >= 0 && row < std::ssize(view().targets) &&
                          view().targets[static_cast<std::size_t>(row)].origin == TargetOrigin::task);
}

QString BenchStation::figure() const {
  const auto count = shelf_->drives().size();
  return counted(static_cast<std::uint64_t>(count), "1 drive", "%1 drives");
}

void BenchStation::enter() {
  shelf_->setFocus();
}

void BenchStation::choose(int index) {
  if (index < 0 || index >= std::ssize(drives_.drives())) return;
  const DriveAtHand& d = drives_.drives()[static_cast<std::size_t>(index)];
  chosenId_ = d.drive.id;
  chosenStandIn_ = d.standIn;
  refresh();
  Q_EMIT chosenChanged();
}

bool BenchStation::measureChosen() {
  const DriveAtHand* d = chosen();
  if (d == nullptr || session_.busy()) return false;
  if (isOpen(*d) && !view().closed)
    Q_EMIT measureWanted();
  else
    Q_EMIT openRequested(QByteArray::fromStdString(d->path), d->standIn);
  return true;
}

void BenchStation::addTarget() {
  const DriveAtHand* d = chosen();
  if (d == nullptr) return;
  const auto answer = prompter_.askTarget(this);
  if (!answer) return;
  if (isOpen(*d))
    desk_.addTarget(answer->label, answer->amount);
  else
    Q_EMIT targetRequested(QByteArray::fromStdString(d->path), d->standIn, answer->label, answer->amount);
}

void BenchStation::toggleTarget(const QString& id, bool on) {
  const DriveAtHand* d = chosen();
  if (d == nullptr) return;
  std::vector<Target> targets = isOpen(*d) ? view().targets : d->targets;
  const auto at = static_cast<std::size_t>(id.toInt());
  if (at >= targets.size()) return;
  targets[at].chosen = on;
  if (isOpen(*d)) desk_.setTargets(targets);
  if (targets[at].origin != TargetOrigin::task) drives_.setShopRule(targets[at].origin, on);
}

void BenchStation::dropTarget() {
  std::vector<Target> targets = view().targets;
  const int row = targets_->currentIndex().row();
  if (row < 0 || row >= std::ssize(targets)) return;
  targets.erase(targets.begin() + row);
  desk_.setTargets(std::move(targets));
}

void BenchStation::overruleKind() {
  const DriveAtHand* d = chosen();
  if (d == nullptr) return;
  if (d->drive.twin) {
    const auto which =
        prompter_.choose(this, tr("Which drive it is"),
                         tr("It has the identity of a drive of earlier visits, on other hardware. Until you "
                            "say which it is, the two "
                            "are kept apart."),
                         {tr("The drive of the earlier visits"), tr("A copy of it, and another one")});
    if (which) drives_.sayTwin(d->drive, *which == 0);
    return;
  }
  QStringList kinds;
  for (int i = 0; i < driveKinds; ++i) kinds.append(say(&Words::kind, static_cast<DriveKind>(i)));
  const auto said =
      prompter_.choose(this, tr("What it is"),
                       tr("The hardware says: %1. What it really is decides which headroom rules speak.")
                           .arg(say(&Words::kind, d->drive.kind)),
                       kinds);
  if (said) drives_.overrule(d->drive, {static_cast<DriveKind>(*said), std::nullopt});
}

}  // namespace zt::desktop
