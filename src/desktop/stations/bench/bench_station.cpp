// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/bench/bench_station.h"

#include <QtWidgets>

#include "desktop/style/words.h"

namespace zt::desktop {

BenchStation::BenchStation(Session& session, Prompter& prompter, QWidget* parent)
    : Station(session, prompter, parent) {
  setObjectName(QStringLiteral("benchStation"));
  new QVBoxLayout(this);
  layout()->setContentsMargins(30, 14, 30, 14);
  setupShelf();
  setupTargets();
  connect(&session_, &Session::drivesListed, this, &BenchStation::refresh);
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
  auto* box = static_cast<QVBoxLayout*>(layout());
  box->addLayout(head);
  shelf_ = new DriveShelf(this);
  box->addWidget(shelf_, 3);
  connect(shelf_, &DriveShelf::choose, this, &BenchStation::chooseDrive);
  connect(shelf_, &DriveShelf::activated, this, [this](int index) {
    chooseDrive(index);
    measureChosen();
  });
}

void BenchStation::setupTargets() {
  auto* box = static_cast<QVBoxLayout*>(layout());
  targetsTitle_ = titleLabel(tr("Targets"), this);
  targetsTitle_->setFont(typeface(Type::strong));
  box->addWidget(targetsTitle_);
  targets_ = ledgerView("targets", this);
  targetRows_ = new RowsModel({tr("what for"), tr("why"), tr("free needed"), tr("today")}, {2, 3}, this);
  targets_->setModel(targetRows_);
  targets_->header()->setSectionResizeMode(1, QHeaderView::Stretch);
  targets_->setColumnWidth(0, 220);
  targets_->setColumnWidth(2, 130);
  targets_->setColumnWidth(3, 150);
  targets_->setToolTip(
      tr("Ticked lines are targets. Rules that the shop does not follow are shown all the same."));
  connect(targetRows_, &RowsModel::toggled, this, &BenchStation::toggleTarget);
  box->addWidget(targets_, 2);
  auto* foot = new QHBoxLayout;
  addTarget_ = linkButton(tr("Add a target…"), "addTarget", this);
  dropTarget_ = linkButton(tr("Drop the chosen task"), "dropTarget", this);
  measure_ = button(tr("Measure"), "measure", this, true);
  foot->addWidget(addTarget_);
  foot->addSpacing(16);
  foot->addWidget(dropTarget_);
  foot->addStretch();
  foot->addWidget(measure_);
  box->addLayout(foot);
  connect(addTarget_, &QPushButton::clicked, this, &BenchStation::addTarget);
  connect(dropTarget_, &QPushButton::clicked, this, &BenchStation::dropTarget);
  connect(measure_, &QPushButton::clicked, this, &BenchStation::measureChosen);
  connect(targets_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this] { refresh(); });
}

void BenchStation::addStandIn(const StandInManifest& manifest, const PathBytes& folder, const Drive& drive) {
  standIns_.removeIf([&](const ShelfDrive& d) { return d.path == folder; });
  ShelfDrive shelf;
  shelf.drive = drive;
  shelf.path = folder;
  shelf.standIn = true;
  shelf.targets = headroomRules(drive);
  shelf.targets.insert(shelf.targets.begin(), manifest.targets.begin(), manifest.targets.end());
  standIns_.prepend(shelf);
  chosen_ = 0;
  refresh();
}

bool BenchStation::isOpen(const ShelfDrive& d) const {
  return view().open && view().drive.id == d.drive.id && view().drive.target == d.drive.target;
}

void BenchStation::fillShelf() {
  QList<ShelfDrive> all = standIns_;
  for (const Drive& drive : session_.drives())
    all.append({drive, drive.target, false, {}, headroomRules(drive), {}});
  for (ShelfDrive& d : all) {
    JobView bare;
    bare.open = true;
    bare.drive = d.drive;
    bare.free = d.drive.usage.available;
    d.blocks = blocksOf(bare, 0);
    d.measured = tr("never measured");
    if (!isOpen(d)) continue;
    d.drive = view().drive;
    d.drive.usage.available = view().free;
    d.targets = view().targets;
    d.blocks = blocksOf(view(), 0);
    if (view().survey) d.measured = tr("measured %1").arg(Words::clockTime(view().survey->finished));
  }
  const QSignalBlocker quiet(shelf_);
  chosen_ = std::clamp(chosen_, 0, std::max(0, static_cast<int>(all.size()) - 1));
  shelf_->show(all, all.isEmpty() ? -1 : chosen_);
}

void BenchStation::fillTargets() {
  const bool any = chosen_ >= 0 && chosen_ < shelf_->drives().size();
  targetsTitle_->setText(any ? tr("Targets of %1").arg(Words::driveName(shelf_->drives()[chosen_].drive))
                             : tr("Targets"));
  QList<Row> rows;
  if (any) {
    const ShelfDrive& d = shelf_->drives()[chosen_];
    const Bytes free = d.drive.usage.available;
    int number = 0;
    for (const Target& t : d.targets) {
      const SignedBytes over = surplus(t, free);
      const QString today = over >= 0 ? tr("%1 over").arg(Words::signedBytes(over))
                                      : tr("%1 short").arg(Words::signedBytes(-over));
      rows.append({QString::number(number++),
                   -1,
                   isOpen(d),
                   t.chosen,
                   {{Words::targetName(t), {}, true, false, false, false},
                    {Words::targetReason(t), {}, false, false, true, false},
                    {Words::bytes(t.bytes), Words::exact(t.bytes), true, false, false, true},
                    {today, {}, false, t.chosen && over < 0, !t.chosen, true}}});
    }
  }
  targetRows_->setRows(rows);
}

void BenchStation::refresh() {
  fillShelf();
  fillTargets();
  const bool any = chosen_ >= 0 && chosen_ < shelf_->drives().size();
  const bool open = any && isOpen(shelf_->drives()[chosen_]);
  measure_->setText(open && view().survey ? tr("Measure again") : tr("Measure"));
  measure_->setEnabled(any && !session_.busy());
  addTarget_->setEnabled(open);
  const int row = targets_->currentIndex().row();
  dropTarget_->setEnabled(open && row >= 0 && row < static_cast<int>(view().targets.size()) &&
                          view().targets[static_cast<std::size_t>(row)].origin == TargetOrigin::task);
}

QString BenchStation::figure() const {
  const auto count = shelf_->drives().size();
  return count == 1 ? tr("1 drive") : tr("%1 drives").arg(count);
}

void BenchStation::enter() {
  shelf_->setFocus();
}

void BenchStation::chooseDrive(int index) {
  chosen_ = index;
  refresh();
}

void BenchStation::measureChosen() {
  if (chosen_ < 0 || chosen_ >= shelf_->drives().size() || session_.busy()) return;
  const ShelfDrive& d = shelf_->drives()[chosen_];
  if (isOpen(d))
    Q_EMIT measureWanted();
  else
    Q_EMIT openRequested(QByteArray::fromStdString(d.path), d.standIn);
}

void BenchStation::addTarget() {
  const auto answer = prompter_.askTarget(this);
  if (answer) session_.addTarget(answer->label, answer->amount);
}

void BenchStation::toggleTarget(const QString& id, bool on) {
  std::vector<Target> targets = view().targets;
  const auto at = static_cast<std::size_t>(id.toInt());
  if (at >= targets.size()) return;
  targets[at].chosen = on;
  session_.setTargets(std::move(targets));
}

void BenchStation::dropTarget() {
  std::vector<Target> targets = view().targets;
  const int row = targets_->currentIndex().row();
  if (row < 0 || row >= static_cast<int>(targets.size())) return;
  targets.erase(targets.begin() + row);
  session_.setTargets(std::move(targets));
}

}  // namespace zt::desktop
