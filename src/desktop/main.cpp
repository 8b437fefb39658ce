// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QCommandLineParser>

#include "core/job/linux_workshop.h"
#include "core/os/linux/limits.h"
#include "desktop/frame/main_window.h"
#include "desktop/style/language.h"
#include "words/language.h"

namespace {

void describe(QCommandLineParser& args) {
  args.setApplicationDescription(
      QStringLiteral("Measure a nearly full drive, plan what to reclaim, carry it out safely, prove it."));
  args.addHelpOption();
  args.addVersionOption();
  args.addOption(QCommandLineOption(QStringLiteral("stand-in"),
                                    QStringLiteral("Show the stand-in drive in <folder> on the Bench."),
                                    QStringLiteral("folder")));
  args.addPositionalArgument(QStringLiteral("place"),
                             QStringLiteral("A folder to measure, or a job file (*.ztjob)."),
                             QStringLiteral("[place]"));
}

/// Help, the version and wrong words need no display: they are dealt with before one is asked for.
void answerWithoutDisplay(int argc, char** argv) {
  QCoreApplication app(argc, argv);
  QCoreApplication::setApplicationName(QStringLiteral("zip-tally"));
  QCoreApplication::setApplicationVersion(QStringLiteral("0.1.0"));
  QCommandLineParser args;
  describe(args);
  QStringList own;
  for (const QString& word : QCoreApplication::arguments())
    if (word == QStringLiteral("--help") || word == QStringLiteral("-h") ||
        word == QStringLiteral("--help-all") || word == QStringLiteral("--version") ||
        word == QStringLiteral("-v"))
      own.append(word);
  if (!own.isEmpty()) args.process(QStringList{QStringLiteral("zip-tally"), own.front()});
}

}  // namespace

int main(int argc, char** argv) {
  zt::beginTheirLanguage();
  answerWithoutDisplay(argc, argv);
  zt::keepLargeBlocksApart();
  QApplication app(argc, argv);
  QApplication::setApplicationName(QStringLiteral("zip-tally"));
  QApplication::setApplicationDisplayName(QStringLiteral("Zip Tally"));
  QApplication::setOrganizationName(QStringLiteral("zip-tally"));
  QGuiApplication::setDesktopFileName(QStringLiteral("org.ziptally.ZipTally"));
  QApplication::setApplicationVersion(QStringLiteral("0.1.0"));
  QCommandLineParser args;
  describe(args);
  args.process(app);
  zt::desktop::speakTheirLanguage(app);
  const zt::Workshop workshop = zt::linuxWorkshop();
  zt::desktop::DialogPrompter prompter;
  zt::desktop::MainWindow window(workshop, prompter);
  window.show();
  for (const QString& folder : args.values(QStringLiteral("stand-in"))) window.openStandIn(folder);
  for (const QString& place : args.positionalArguments()) window.openPlace(place);
  return QApplication::exec();
}
