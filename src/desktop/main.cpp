// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QCommandLineParser>

#include "core/os/rights/helper_client.h"
#include "core/os/limits.h"
#include "core/os/linux_drive_insides.h"
#include "core/os/linux_file_system.h"
#include "core/os/linux_mount_table.h"
#include "core/os/linux_open_files.h"
#include "core/os/system_clock.h"
#include "desktop/frame/main_window.h"

int main(int argc, char** argv) {
  zt::keepLargeBlocksApart();
  QApplication app(argc, argv);
  QApplication::setApplicationName(QStringLiteral("zip-tally"));
  QApplication::setApplicationDisplayName(QStringLiteral("Zip Tally"));
  QApplication::setOrganizationName(QStringLiteral("zip-tally"));
  QApplication::setApplicationVersion(QStringLiteral("0.1.0"));
  QCommandLineParser args;
  args.setApplicationDescription(
      QStringLiteral("Measure a nearly full drive, plan what to reclaim, carry it out safely, prove it."));
  args.addHelpOption();
  args.addVersionOption();
  const QCommandLineOption standIn(
      QStringLiteral("stand-in"),
      QStringLiteral("Show the stand-in drive in <folder> on the Bench and open it."),
      QStringLiteral("folder"));
  args.addOption(standIn);
  args.addPositionalArgument(QStringLiteral("place"),
                             QStringLiteral("A folder to measure, or a job file (*.ztjob)."),
                             QStringLiteral("[place]"));
  args.process(app);

  zt::LinuxFileSystem files;
  zt::LinuxMountTable mounts;
  zt::LinuxOpenFiles openFiles;
  zt::SystemClock clock;
  zt::LinuxDriveInsides insides;
  zt::HelperClient privileged(zt::helperCommand());
  zt::System system{files, mounts, openFiles, clock, insides, privileged};
  zt::desktop::DialogPrompter prompter;
  zt::desktop::MainWindow window(system, prompter);
  window.show();
  if (args.isSet(standIn)) window.openStandIn(args.value(standIn));
  for (const QString& place : args.positionalArguments()) window.openPlace(place);
  return QApplication::exec();
}
