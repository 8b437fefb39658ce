// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/frame/main_window.h"

#include <QtWidgets>

#include "desktop/frame/job_place.h"
#include "desktop/style/look.h"

/// The icons lie in a static library, so they have to be asked for. Must stand outside any namespace.
static void initIcons() {
  Q_INIT_RESOURCE(icons);
}

namespace zt::desktop {

MainWindow::MainWindow(const Workshop& workshop, Prompter& prompter, QWidget* parent)
    : QMainWindow(parent), prompter_(prompter), session_(workshop), drives_(workshop) {
  initIcons();
  setObjectName(QStringLiteral("mainWindow"));
  setWindowTitle(tr("Zip Tally"));
  setWindowIcon(QIcon(QStringLiteral(":/icons/zip-tally.svg")));
  setAcceptDrops(true);
  setupFrame();
  setupMenus();
  setupSession();
  restoreSettings();
  refresh();
  bench_->enter();
  drives_.look();
}

MainWindow::~MainWindow() = default;

void MainWindow::setupFrame() {
  auto* central = new QWidget(this);
  auto* row = new QHBoxLayout(central);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(0);
  level_ = new LevelGauge(central);
  row->addWidget(level_);
  auto* column = new QVBoxLayout;
  column->setSpacing(0);
  strip_ = new StationStrip(central);
  column->addWidget(strip_);
  failure_ = new QLabel(central);
  failure_->setObjectName(QStringLiteral("failure"));
  failure_->setWordWrap(true);
  failure_->setTextFormat(Qt::PlainText);
  failure_->setContentsMargins(30, 8, 30, 8);
  failure_->hide();
  column->addWidget(failure_);
  stack_ = new QStackedWidget(central);
  bench_ = new BenchStation(session_, drives_, prompter_, this);
  survey_ = new SurveyStation(session_, prompter_, this);
  finds_ = new FindsStation(session_, prompter_, this);
  plan_ = new PlanStation(session_, prompter_, this);
  reclaim_ = new ReclaimStation(session_, prompter_, this);
  proof_ = new ProofStation(session_, prompter_, this);
  stations_ = {bench_, survey_, finds_, plan_, reclaim_, proof_};
  for (Station* s : stations_) {
    stack_->addWidget(s);
    connect(s, &Station::goTo, this, &MainWindow::goTo);
    connect(s, &Station::measureWanted, this, &MainWindow::measure);
  }
  column->addWidget(stack_, 1);
  balance_ = new BalanceBar(central);
  column->addWidget(balance_);
  row->addLayout(column, 1);
  setCentralWidget(central);
  setMinimumSize(1000, 660);
  connect(strip_, &StationStrip::chosen, this, &MainWindow::goTo);
  connect(level_, &LevelGauge::picked, this, &MainWindow::pickStratum);
  setupBench();
}

void MainWindow::setupBench() {
  connect(bench_, &BenchStation::openRequested, this, &MainWindow::openMeasuring);
  connect(bench_, &BenchStation::chosenChanged, this, &MainWindow::showPicture);
  connect(bench_, &BenchStation::targetRequested, this,
          [this](const QByteArray& path, bool standIn, const QString& label, const QString& amount) {
            open(path, standIn, [this, label, amount] { PlanDesk(session_).addTarget(label, amount); });
          });
  connect(bench_, &BenchStation::standInRequested, this, &MainWindow::standInDialog);
  connect(bench_, &BenchStation::jobFileRequested, this, [this](const QByteArray& file) {
    failure_->hide();
    session_.openJob(file.toStdString());
    goTo(surveyStation);
  });
  connect(bench_, &BenchStation::folderRequested, this, [this] {
    if (const auto folder = prompter_.chooseFolder(this, tr("Measure a folder"))) openPlace(*folder);
  });
  connect(bench_, &BenchStation::jobRequested, this, [this] {
    if (const auto file = prompter_.chooseFile(this, tr("Open a job"), tr("Jobs (*.ztjob)")))
      openPlace(*file);
  });
}

void MainWindow::setupSession() {
  connectSession();
  connectDrives();
  connect(&session_, &Session::lineProgressed, this, [this](const LineOutcome& o) {
    strip_->setProgress(2, tr("%1 of %2 things; Esc stops between them").arg(o.itemsDone).arg(o.items));
  });
  connect(&session_, &Session::onDriveRefused, this,
          [this](const QByteArray& path, bool standIn, const QByteArray& file) {
            const auto keeping = askJobPlace(prompter_, this, file.toStdString(), drives_.drives());
            if (keeping)
              session_.openPlace(path.toStdString(), standIn, *keeping);
            else
              afterOpening_ = {};
          });
}

void MainWindow::connectSession() {
  connect(&session_, &Session::changed, this, &MainWindow::refresh);
  connect(&session_, &Session::workChanged, this, &MainWindow::showWork);
  connect(&session_, &Session::progressed, this, &MainWindow::showProgress);
  connect(&session_, &Session::failed, this, &MainWindow::showFailure);
  connect(&session_, &Session::opened, this, [this] {
    if (const auto then = std::exchange(afterOpening_, {})) then();
  });
  connect(&session_, &Session::exported, this, [this](const QByteArray& file) {
    prompter_.tell(this, tr("Export the survey"), tr("Written to %1").arg(QFile::decodeName(file)));
  });
  connect(&session_, &Session::runEnded, &drives_, &DriveWatch::look);  // what is held now
  connect(&session_, &Session::measured, this, [this] {
    if (station() == benchStation) goTo(surveyStation);
    drives_.look();
  });
  connect(&session_, &Session::runEnded, this, [this] { session_.prove(); });
}

void MainWindow::connectDrives() {
  connect(&drives_, &DriveWatch::failed, this, &MainWindow::showFailure);
  connect(&drives_, &DriveWatch::standInAdded, this, [this](const QByteArray& folder) {
    bench_->chooseStandIn(folder.toStdString());
    goTo(benchStation);
  });
  connect(&drives_, &DriveWatch::putBackEnded, this, [this](std::size_t returned, std::size_t left) {
    QString text = tr("%1 put back.").arg(say(&Words::things, returned));
    if (left > 0) text += tr(" %1 could not be put back and stay held.").arg(say(&Words::things, left));
    prompter_.tell(this, tr("Put back"), text);
  });
}

void MainWindow::showWork() {
  const bool measuring = session_.work() == Session::Work::measuring;
  const bool stoppable = measuring || session_.work() == Session::Work::running;
  stopAction_->setEnabled(stoppable);
  pauseAction_->setEnabled(stoppable);
  if (!stoppable) pauseAction_->setText(tr("Pa&use"));
  if (session_.busy() && !since_.isValid()) {
    since_.start();
    failure_->hide();
    strip_->setProgress(2, measuring ? tr("measuring… Esc stops") : tr("working… Esc stops"));
  }
  if (!session_.busy()) {
    since_.invalidate();
    level_->setAccounted(0);
    strip_->setProgress(-1, {});
  }
  for (Station* s : stations_) s->refresh();
}

QString MainWindow::stationName(int station) {
  const QStringList names{tr("Bench"), tr("Survey"), tr("Finds"), tr("Plan"), tr("Reclaim"), tr("Proof")};
  return names[station];
}

/// On the Bench the chosen drive, elsewhere the one that is worked on.
void MainWindow::showPicture() {
  const bool chosen = station() == benchStation || !session_.view().open;
  const DrivePicture picture = chosen ? bench_->picture() : session_.view().picture();
  level_->show(picture);
  balance_->show(picture);
  const QString place = stationName(station());
  setWindowTitle(picture.shown ? tr("%1: %2").arg(say(&Words::driveName, picture.drive), place) : place);
}

void MainWindow::refresh() {
  showPicture();
  for (Station* s : stations_) s->refresh();
  refreshStrip();
}

void MainWindow::refreshStrip() {
  QList<StationStrip::Item> items;
  for (qsizetype i = 0; i < stations_.size(); ++i) {
    const bool reached = i == reclaimStation ? session_.view().report.has_value()
                         : i == planStation
                             ? !session_.view().plan.lines.empty() || session_.view().report.has_value()
                             : stations_[i]->ready();
    items.append({stationName(static_cast<int>(i)), stations_[i]->figure(), reached});
  }
  strip_->show(items, station());
}

void MainWindow::showProgress(const Progress& progress) {
  if (session_.work() != Session::Work::measuring) return;
  level_->setAccounted(progress.doneBytes);
  survey_->showProgress();
  refreshStrip();
  if (session_.paused()) return;
  QString note = tr("%1 accounted, %2 entries")
                     .arg(say(&Words::bytes, progress.doneBytes),
                          QLocale().toString(static_cast<qulonglong>(progress.doneItems)));
  double share = 2;
  if (progress.totalBytes > 0) {
    share = std::min(1.0, static_cast<double>(progress.doneBytes) / static_cast<double>(progress.totalBytes));
    const double left =
        share > 0.02 ? static_cast<double>(since_.elapsed()) / 1000.0 * (1 - share) / share : 0;
    if (left > 2) note += tr(", about %1 s left").arg(left, 0, 'f', 0);
  }
  strip_->setProgress(share, note + tr("; Ctrl+B pauses, Esc stops"));
}

void MainWindow::showFailure(const Error& error) {
  if (session_.work() == Session::Work::none) afterOpening_ = {};
  failure_->setText(say(&Words::error, error));
  QPalette p = failure_->palette();
  p.setColor(QPalette::WindowText, face().red);
  failure_->setPalette(p);
  failure_->show();
}

void MainWindow::goTo(int station) {
  stack_->setCurrentIndex(station);
  stations_[station]->refresh();
  stations_[station]->enter();
  showPicture();
  refreshStrip();
}

int MainWindow::station() const {
  return stack_->currentIndex();
}

void MainWindow::open(const QByteArray& path, bool standIn, std::function<void()> then) {
  failure_->hide();
  afterOpening_ = std::move(then);
  session_.openPlace(path.toStdString(), standIn, {newJobFile(path.toStdString()), false});
}

void MainWindow::openMeasuring(const QByteArray& path, bool standIn) {
  open(path, standIn, [this] { measure(); });
}

/// Asks once whether everything is to be measured; the system itself asks for the password then.
void MainWindow::measure() {
  if (!rightsAsked_ && !session_.view().drive.standIn && session_.rightsWorthAsking()) {
    rightsAsked_ = true;
    rightsWanted_ =
        prompter_.confirm(this, tr("Measure everything"),
                          tr("Some folders are closed to you. With an administrator's rights they are "
                             "measured too; names and sizes are "
                             "read, nothing is written. Without, they are listed as not looked into."),
                          tr("Measure everything"));
  }
  session_.measure(rightsWanted_);
}

void MainWindow::togglePause() {
  const bool paused = !session_.paused();
  session_.setPaused(paused);
  pauseAction_->setText(paused ? tr("&Go on") : tr("Pa&use"));
  if (paused) strip_->setProgress(2, tr("paused; Ctrl+B goes on, Esc stops"));
}

void MainWindow::exportSurvey() {
  if (!session_.view().survey) return;
  if (const auto file =
          prompter_.chooseNewFile(this, tr("Export the survey"), tr("Surveys (*.jsonl.zst *.csv)")))
    session_.exportSurvey(QFile::encodeName(*file).toStdString());
}

void MainWindow::importSurvey(const QString& file) {
  failure_->hide();
  const QByteArray path = QFile::encodeName(file);
  session_.importSurvey(path.toStdString(), newJobFile(path.toStdString()));
  goTo(surveyStation);
}

void MainWindow::openPlace(const QString& path) {
  if (path.endsWith(QStringLiteral(".ztjob"))) {
    failure_->hide();
    session_.openJob(QFile::encodeName(path).toStdString());
    goTo(surveyStation);
    return;
  }
  if (path.endsWith(QStringLiteral(".jsonl.zst")) || path.endsWith(QStringLiteral(".csv")))
    return importSurvey(path);
  openMeasuring(QFile::encodeName(path), false);
}

void MainWindow::openStandIn(const QString& folder) {
  const PathBytes path = QFile::encodeName(QDir(folder).absolutePath()).toStdString();
  drives_.addStandIn(path);
}

void MainWindow::standInDialog() {
  if (const auto folder = prompter_.chooseFolder(this, tr("Open a stand-in drive"))) openStandIn(*folder);
}

void MainWindow::pickStratum(Stratum stratum) {
  if (stratum <= Stratum::spent) {
    const auto standing = static_cast<Standing>(stratum);
    if (station() == findsStation)
      finds_->showStanding(standing);
    else {
      goTo(surveyStation);
      survey_->showStanding(standing);
    }
  } else if (stratum == Stratum::free) {
    goTo(benchStation);
  } else {
    goTo(surveyStation);
  }
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  for (const QUrl& url : event->mimeData()->urls())
    if (url.isLocalFile()) return openPlace(url.toLocalFile());
}

void MainWindow::closeEvent(QCloseEvent* event) {
  if (session_.work() == Session::Work::running &&
      !prompter_.confirm(this, tr("A run is under way"),
                         tr("It is stopped after the item at hand; the rest stays on the plan."),
                         tr("Stop and close"))) {
    event->ignore();
    return;
  }
  session_.stop();
  QSettings settings;
  settings.setValue(QStringLiteral("geometry"), saveGeometry());
  settings.setValue(QStringLiteral("columns/files"),
                    survey_->folders()->columnShown(FolderModel::filesColumn));
  settings.setValue(QStringLiteral("columns/newest"),
                    survey_->folders()->columnShown(FolderModel::newestColumn));
  settings.setValue(QStringLiteral("columns/length"),
                    survey_->folders()->columnShown(FolderModel::lengthColumn));
  settings.setValue(QStringLiteral("columns/exclusive"),
                    survey_->folders()->columnShown(FolderModel::exclusiveColumn));
  event->accept();
}

}  // namespace zt::desktop
