// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/frame/opener.h"
#include "desktop/session/measure_desk.h"

#include <QDir>
#include <QFile>
#include <utility>

#include "desktop/frame/job_place.h"
#include "desktop/session/exchange_desk.h"

namespace zt::desktop {

Opener::Opener(Session& session, DriveWatch& drives, Prompter& prompter, QWidget* window)
    : QObject(window), session_(session), drives_(drives), prompter_(prompter), window_(window) {
  connect(&session_, &Session::opened, this, [this] {
    if (const auto then = std::exchange(then_, {})) then();
  });
  connect(&session_, &Session::failed, this, [this] {
    if (session_.work() == Session::Work::none) then_ = {};
  });
  connect(&session_, &Session::onDriveRefused, this,
          [this](const QByteArray& path, bool standIn, const QByteArray& file) {
            // It is asked with the drives that there are.
            if (drives_.known()) return askPlace(path, standIn, file);
            connect(
                &drives_, &DriveWatch::looked, this,
                [this, path, standIn, file] { askPlace(path, standIn, file); },
                static_cast<Qt::ConnectionType>(Qt::QueuedConnection | Qt::SingleShotConnection));
          });
}

void Opener::askPlace(const QByteArray& path, bool standIn, const QByteArray& file) {
  const auto keeping = askJobPlace(prompter_, window_, file.toStdString(), drives_.drives());
  if (keeping)
    MeasureDesk(session_).openPlace(path.toStdString(), standIn, *keeping);
  else
    then_ = {};
}

void Opener::chooseFolder() {
  if (const auto folder = prompter_.chooseFolder(window_, tr("Measure a folder"))) open(*folder);
}

void Opener::chooseJob() {
  if (const auto job = prompter_.chooseFile(window_, tr("Open a job"), tr("Jobs (*.ztjob)"))) open(*job);
}

void Opener::chooseSurvey() {
  if (const auto file =
          prompter_.chooseFile(window_, tr("Import a survey"), tr("Surveys (*.jsonl.zst *.csv)")))
    importSurvey(*file);
}

void Opener::openFor(const QByteArray& path, bool standIn, std::function<void()> then) {
  Q_EMIT starting();
  then_ = std::move(then);
  MeasureDesk(session_).openPlace(path.toStdString(), standIn, {newJobFile(path.toStdString()), false});
}

void Opener::openJob(const PathBytes& file) {
  Q_EMIT starting();
  MeasureDesk(session_).openJob(file);
  Q_EMIT surveyWanted();
}

void Opener::openMeasuring(const QByteArray& path, bool standIn) {
  openFor(path, standIn, [this] { measure(); });
}

void Opener::measure() {
  if (!rightsAsked_ && !session_.view().drive.standIn && session_.workshop().privileged->worthAsking()) {
    rightsAsked_ = true;
    rightsWanted_ =
        prompter_.confirm(window_, tr("Measure everything"),
                          tr("Some folders are closed to you. With an administrator's rights they are "
                             "measured too; names and sizes are "
                             "read, nothing is written. Without, they are listed as not looked into."),
                          tr("Measure everything"));
  }
  MeasureDesk(session_).measure(rightsWanted_);
}

void Opener::exportSurvey() {
  if (!session_.view().survey) return;
  if (const auto file =
          prompter_.chooseNewFile(window_, tr("Export the survey"), tr("Surveys (*.jsonl.zst *.csv)")))
    ExchangeDesk(session_).exportSurvey(QFile::encodeName(*file).toStdString());
}

void Opener::importSurvey(const QString& file) {
  Q_EMIT starting();
  const QByteArray path = QFile::encodeName(file);
  ExchangeDesk(session_).importSurvey(path.toStdString(), newJobFile(path.toStdString()));
  Q_EMIT surveyWanted();
}

void Opener::open(const QString& path) {
  if (path.endsWith(QStringLiteral(".ztjob"))) return openJob(QFile::encodeName(path).toStdString());
  if (path.endsWith(QStringLiteral(".jsonl.zst")) || path.endsWith(QStringLiteral(".csv")))
    return importSurvey(path);
  openMeasuring(QFile::encodeName(path), false);
}

void Opener::addStandIn(const QString& folder) {
  const PathBytes path = QFile::encodeName(QDir(folder).absolutePath()).toStdString();
  drives_.addStandIn(path);
}

void Opener::chooseStandIn() {
  if (const auto folder = prompter_.chooseFolder(window_, tr("Open a stand-in drive"))) addStandIn(*folder);
}

}  // namespace zt::desktop
