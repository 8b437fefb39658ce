// SPDX-License-Identifier: GPL-3.0-or-later
// The desktop tests drive the real window on the offscreen platform, with settings and jobs in a folder of
// their own.
#include <gtest/gtest.h>
#include <unistd.h>

#include <QApplication>

#include "support/temp_folder.h"

int main(int argc, char** argv) {
  // In memory: ext4 is slow to hand out inodes that were freed a moment ago, and every test builds a drive
  // anew.
  if (::access("/dev/shm", W_OK) == 0) qputenv("TMPDIR", "/dev/shm");
  const zt::test::TempFolder home;
  for (const char* name : {"HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME"})
    qputenv(name, QByteArray::fromStdString(home.path()));
  if (!qEnvironmentVariableIsSet("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  QApplication app(argc, argv);
  QApplication::setApplicationName(QStringLiteral("zip-tally"));
  QApplication::setOrganizationName(QStringLiteral("zip-tally"));
  ::testing::InitGoogleTest(&argc, argv);
  return RUN_ALL_TESTS();
}
