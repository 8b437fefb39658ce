// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/frame/main_window.h"

#include <QtWidgets>

#include "desktop/frame/word_book.h"
#include "desktop/session/run_desk.h"
#include "desktop/stations/bench/bench_station.h"
#include "desktop/stations/finds/finds_station.h"
#include "desktop/stations/survey/survey_station.h"
#include "desktop/style/look.h"

/// The icons lie in a static library, so they have to be asked for. Must stand outside any namespace.
static void initIcons() {
  Q_INIT_RESOURCE(icons);
}

namespace zt::desktop {

MainWindow::MainWindow(const Workshop& workshop, Prompter& prompter, StationTable stations, QWidget* parent)
    : QMainWindow(parent),
      prompter_(prompter),
      session_(workshop),
      drives_(workshop),
      opener_(new Opener(session_, drives_, prompter_, this)),
      words_(new WordFinder(this)),
      at_(std::move(stations), {session_, drives_, prompter_}, this),
      bench_(at_.as<BenchStation>()) {
  initIcons();
  setObjectName(QStringLiteral("mainWindow"));
  setWindowTitle(tr("Zip Tally"));
  setWindowIcon(QIcon(QStringLiteral(":/icons/zip-tally.svg")));
  setAcceptDrops(true);
  setupFrame();
  commands_ = new Commands({session_, drives_, prompter_, at_, *opener_, *words_}, *this);
  connect(commands_, &Commands::lookChanged, this, &MainWindow::refresh);
  setupSession();
  restoreSettings();
  for (Station* s : at_.all()) s->refresh();
  refresh();
  stationNow().enter();
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
  for (Station* s : at_.all()) {
    stack_->addWidget(s);
    connect(s, &Station::goTo, this, &MainWindow::goTo);
    connect(s, &Station::measureWanted, opener_, &Opener::measure);
  }
  column->addWidget(stack_, 1);
  balance_ = new BalanceBar(central);
  column->addWidget(balance_);
  row->addLayout(column, 1);
  setCentralWidget(central);
  setMinimumSize(1000, 660);
  connect(strip_, &StationStrip::chosen, this,
          [this](int i) { goTo(at_.table()[static_cast<std::size_t>(i)].id); });
  connect(level_, &LevelGauge::picked, this, &MainWindow::pickStratum);
  setupBench();
}

void MainWindow::setupBench() {
  connect(&bench_, &BenchStation::openRequested, opener_, &Opener::openMeasuring);
  connect(&bench_, &BenchStation::chosenChanged, this, &MainWindow::showPicture);
  connect(&bench_, &BenchStation::targetRequested, this,
          [this](const QByteArray& path, bool standIn, const QString& label, const QString& amount) {
            opener_->openFor(path, standIn,
                             [this, label, amount] { PlanDesk(session_).addTarget(label, amount); });
          });
  connect(&bench_, &BenchStation::standInRequested, opener_, &Opener::chooseStandIn);
  connect(&bench_, &BenchStation::jobFileRequested, opener_,
          [this](const QByteArray& file) { opener_->openJob(file.toStdString()); });
  connect(&bench_, &BenchStation::folderRequested, opener_, &Opener::chooseFolder);
  connect(&bench_, &BenchStation::jobRequested, opener_, &Opener::chooseJob);
}

void MainWindow::setupSession() {
  connectSession();
  connectDrives();
  connect(opener_, &Opener::starting, failure_, &QWidget::hide);
  connect(opener_, &Opener::surveyWanted, this, [this] { goTo(surveyStation); });
  connect(&session_, &Session::runProgressed, this, &MainWindow::showRun);
}

void MainWindow::connectSession() {
  connect(&session_, &Session::changed, this, &MainWindow::refresh);
  connect(&session_, &Session::workChanged, this, &MainWindow::showWork);
  connect(&session_, &Session::progressed, this, &MainWindow::showProgress);
  connect(&session_, &Session::failed, this, &MainWindow::showFailure);
  connect(&session_, &Session::exported, this, [this](const QByteArray& file) {
    prompter_.tell(this, tr("Export the survey"), tr("Written to %1").arg(QFile::decodeName(file)));
  });
  connect(&session_, &Session::runEnded, &drives_, &DriveWatch::look);  // what is held now
  connect(&session_, &Session::measured, this, [this] {
    if (station() == benchStation) goTo(surveyStation);
    drives_.look();
  });
  connect(&session_, &Session::runEnded, this, [this] { RunDesk(session_).prove(); });
}

void MainWindow::connectDrives() {
  connect(&drives_, &DriveWatch::failed, this, &MainWindow::showFailure);
  connect(&drives_, &DriveWatch::standInAdded, this, [this](const QByteArray& folder) {
    bench_.chooseStandIn(folder.toStdString());
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
  const bool matching = session_.work() == Session::Work::matching;
  const bool stoppable = measuring || matching || session_.work() == Session::Work::running;
  commands_->showWork();
  if (stoppable && session_.pauseGate()->paused())
    strip_->setProgress(2, tr("paused; Ctrl+B goes on, Esc stops"));
  if (session_.busy() && !since_.isValid()) {
    since_.start();
    failure_->hide();
    strip_->setProgress(2, measuring  ? tr("measuring… Esc stops")
                           : matching ? tr("comparing contents… Esc stops")
                                      : tr("working… Esc stops"));
  }
  if (!session_.busy()) {
    since_.invalidate();
    level_->setAccounted(0);
    strip_->setProgress(-1, {});
  }
  // What ends brings a new view, and that a new look.
  if (session_.busy()) {
    stationNow().refresh();
    refreshStrip();
  }
}

/// On the Bench the chosen drive, elsewhere the one that is worked on.
void MainWindow::showPicture() {
  const bool chosen = station() == benchStation || !session_.view().open;
  DrivePicture picture = chosen ? bench_.picture() : session_.view().picture();
  if (session_.run() && !chosen) picture = duringRun(std::move(picture), session_.view(), *session_.run());
  level_->show(picture);
  balance_->show(picture);
  const QString place = at_.title(stack_->currentIndex());
  setWindowTitle(picture.shown ? tr("%1: %2").arg(say(&Words::driveName, picture.drive), place) : place);
}

void MainWindow::refresh() {
  showPicture();
  stationNow().refresh();  // the others when they are gone to
  refreshStrip();
}

void MainWindow::refreshStrip() {
  QList<StationStrip::Item> items;
  for (int i = 0; i < at_.count(); ++i)
    items.append({at_.title(i), at_.all()[i]->figure(), at_.all()[i]->reached()});
  strip_->show(items, stack_->currentIndex());
}

void MainWindow::showProgress(const Progress& progress) {
  const bool matching = session_.work() == Session::Work::matching;
  if (session_.work() != Session::Work::measuring && !matching) return;
  if (!matching) {
    level_->setAccounted(progress.doneBytes);
    at_.as<SurveyStation>().showProgress();
    refreshStrip();
  }
  if (session_.pauseGate()->paused()) return;
  QString note =
      matching ? tr("%1 of %2 read")
                     .arg(say(&Words::bytes, progress.doneBytes), say(&Words::bytes, progress.totalBytes))
               : tr("%1 accounted, %2 entries")
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

void MainWindow::showRun() {
  showPicture();
  refreshStrip();
  if (!session_.run() || session_.pauseGate()->paused()) return;
  const RunSoFar& run = *session_.run();
  strip_->setProgress(run.share(),
                      tr("%1 of %2 freed; Ctrl+B pauses, Esc stops between things")
                          .arg(say(&Words::bytes, run.freed()), say(&Words::bytes, run.promised)));
}

void MainWindow::showFailure(const Error& error) {
  failure_->setText(say(&Words::error, error));
  QPalette p = failure_->palette();
  p.setColor(QPalette::WindowText, face().red);
  failure_->setPalette(p);
  failure_->show();
}

void MainWindow::openPlace(const QString& path) {
  opener_->open(path);
}

void MainWindow::openStandIn(const QString& folder) {
  opener_->addStandIn(folder);
}

void MainWindow::goTo(std::string_view station) {
  const int index = at_.indexOf(station);
  if (index < 0) return;
  stack_->setCurrentIndex(index);
  stationNow().refresh();
  stationNow().enter();
  showPicture();
  refreshStrip();
}

std::string_view MainWindow::station() const {
  return at_.table()[static_cast<std::size_t>(stack_->currentIndex())].id;
}

Station& MainWindow::stationNow() const {
  return *at_.all()[stack_->currentIndex()];
}

void MainWindow::pickStratum(Stratum stratum) {
  if (stratum <= Stratum::spent) {
    const auto standing = static_cast<Standing>(stratum);
    if (station() == findsStation)
      at_.as<FindsStation>().showStanding(standing);
    else {
      goTo(surveyStation);
      at_.as<SurveyStation>().showStanding(standing);
    }
  } else if (stratum == Stratum::points) {
    goTo(findsStation);
    at_.as<FindsStation>().showPoints();
  } else if (stratum == Stratum::free) {
    goTo(benchStation);
  } else {
    goTo(surveyStation);
  }
}

void MainWindow::restoreSettings() {
  commands_->restoreSettings();
  resize(1280, 800);
  restoreGeometry(QSettings().value(QStringLiteral("geometry")).toByteArray());
  // The title bar needs room too; a window manager that has none gives it back.
  constexpr int titleBar = 36;
  const QSize room = screen()->availableGeometry().size() - QSize(4, titleBar);
  resize(size().boundedTo(room));
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  for (const QUrl& url : event->mimeData()->urls())
    if (url.isLocalFile()) return opener_->open(url.toLocalFile());
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
  QSettings().setValue(QStringLiteral("geometry"), saveGeometry());
  commands_->keepSettings();
  event->accept();
}

}  // namespace zt::desktop
