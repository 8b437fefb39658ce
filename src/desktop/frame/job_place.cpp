// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/frame/job_place.h"

#include <QtWidgets>

#include "desktop/style/look.h"

namespace zt::desktop {

PathBytes newJobFile(const PathBytes& place) {
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) +
                         QStringLiteral("/zip-tally/jobs");
  QDir().mkpath(folder);
  QString name = QString::fromStdString(escapePath(baseName(place)))
                     .replace(QRegularExpression(QStringLiteral("[^A-Za-z0-9._-]")), QStringLiteral("_"));
  if (name.isEmpty()) name = QStringLiteral("drive");
  const QString stamp = QDateTime::currentDateTime().toString(QStringLiteral("yyyyMMdd-HHmmss-zzz"));
  return QFile::encodeName(folder + QLatin1Char('/') + name + QLatin1Char('-') + stamp +
                           QStringLiteral(".ztjob"))
      .toStdString();
}

namespace {

constexpr Bytes roomForAJob = 200'000'000;

/// The drive that a file lies on, by its mount.
const DriveAtHand* driveOfFile(const std::vector<DriveAtHand>& drives, const PathBytes& file) {
  const DriveAtHand* best = nullptr;
  for (const auto& d : drives)
    if (!d.standIn && (d.path == "/" || beneath(file, d.path)))
      if (best == nullptr || d.path.size() > best->path.size()) best = &d;
  return best;
}

bool takesJobs(const DriveAtHand& d) {
  const QFileInfo top(QFile::decodeName(QByteArray::fromStdString(d.path)));
  return !d.standIn && d.drive.answers && !d.drive.readOnly && !d.drive.fullByDesign() &&
         d.drive.usage.available > roomForAJob && top.isWritable();
}

}  // namespace

std::optional<MeasureDesk::Keeping> askJobPlace(Prompter& prompter, QWidget* parent, const PathBytes& file,
                                                const std::vector<DriveAtHand>& drives) {
  const DriveAtHand* own = driveOfFile(drives, file);
  QStringList ways;
  std::vector<MeasureDesk::Keeping> keepings;
  for (const auto& d : drives) {
    if (&d == own || !takesJobs(d)) continue;
    ways.append(QCoreApplication::translate("JobPlace", "On %1, %2 free")
                    .arg(say(&Words::driveName, d.drive), say(&Words::bytes, d.drive.usage.available)));
    keepings.push_back({joinPath(d.path, baseName(file)), false});
  }
  ways.append(QCoreApplication::translate("JobPlace", "In memory: it is lost when the window closes"));
  keepings.push_back({{}, false});
  ways.append(QCoreApplication::translate("JobPlace", "Here all the same, on the drive that is measured"));
  keepings.push_back({file, true});
  const auto way =
      prompter.choose(parent, QCoreApplication::translate("JobPlace", "Where to keep the job"),
                      QCoreApplication::translate(
                          "JobPlace",
                          "The job's file would lie on the drive that is measured:\n%1\n\nNothing else is "
                          "written there.")
                          .arg(say(&Words::path, file)),
                      ways);
  if (!way) return std::nullopt;
  return keepings[static_cast<std::size_t>(*way)];
}

}  // namespace zt::desktop
