// SPDX-License-Identifier: GPL-3.0-or-later
// The boxes in which files are chosen can change nothing on the drive that they show.
#include <gtest/gtest.h>

#include <QtTest>
#include <QtWidgets>
#include <filesystem>
#include <set>

#include "desktop/prompter.h"
#include "support/temp_folder.h"

namespace zt::desktop {
namespace {

using zt::test::TempFolder;

/// Says yes to whoever asks back, also while a key is still being handled.
class Yes final : public QObject {
public:
  Yes() { startTimer(30); }

protected:
  void timerEvent(QTimerEvent*) override {
    for (QWidget* w : QApplication::topLevelWidgets())
      if (auto* asked = qobject_cast<QMessageBox*>(w); asked != nullptr && asked->isVisible())
        asked->accept();
  }
};

/// Drives the box that is open by keys: selects everything in a folder, and tries to delete, rename and make.
class Hands final : public QObject {
public:
  explicit Hands(const QString& folder) : folder_(folder) { startTimer(50); }

protected:
  void timerEvent(QTimerEvent*) override {
    QFileDialog* box = nullptr;
    for (QWidget* w : QApplication::topLevelWidgets())
      if (w->objectName() == QLatin1String("fileBox") && w->isVisible()) box = qobject_cast<QFileDialog*>(w);
    if (box == nullptr || ++rounds_ > 100) {
      if (box != nullptr) box->reject();
      return;
    }
    auto* list = box->findChild<QAbstractItemView*>(QStringLiteral("listView"));
    switch (step_++) {
      case 0:
        box->setDirectory(folder_);
        list->setFocus();
        break;
      case 1:
        QTest::keyClick(list, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClick(list, Qt::Key_Delete);
        break;
      case 2:
        QTest::keyClick(list, Qt::Key_Home);
        QTest::keyClick(list, Qt::Key_F2);
        if (QWidget* at = QApplication::focusWidget()) QTest::keyClicks(at, QStringLiteral("renamed"));
        break;
      case 3:
        if (QWidget* at = QApplication::focusWidget(); at != list) QTest::keyClick(at, Qt::Key_Escape);
        QTest::keyClick(box, Qt::Key_N, Qt::ControlModifier | Qt::ShiftModifier);
        break;
      case 4:
        if (auto* make = box->findChild<QAbstractButton*>(QStringLiteral("newFolderButton"))) make->click();
        break;
      default:
        box->reject();
    }
  }

private:
  QString folder_;
  int step_ = 0;
  int rounds_ = 0;
};

TEST(FileBoxes, ChangeNothing) {
  TempFolder t;
  t.file("drive/thesis.odt", "x");
  t.file("drive/letters/one.odt", "x");
  const auto listing = [&] {
    std::set<std::string> names;
    for (const auto& e : std::filesystem::recursive_directory_iterator(t.path())) names.insert(e.path());
    return names;
  };
  const auto before = listing();
  DialogPrompter prompter;
  const Yes yes;
  for (int which = 0; which < 3; ++which) {
    Hands hands(QString::fromStdString(t / "drive"));
    if (which == 0) (void)prompter.chooseFolder(nullptr, QStringLiteral("folder"));
    if (which == 1) (void)prompter.chooseFile(nullptr, QStringLiteral("file"), {});
    if (which == 2) (void)prompter.chooseNewFile(nullptr, QStringLiteral("new file"), {});
    EXPECT_EQ(listing(), before) << which;
  }
}

}  // namespace
}  // namespace zt::desktop
