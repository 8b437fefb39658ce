// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <gtest/gtest.h>

#include <QApplication>
#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableView>
#include <QTest>
#include <QTreeView>

#include "demo/builder.h"
#include "desktop/frame/main_window.h"
#include "desktop/models/rows_model.h"
#include "desktop/stations/bench/bench_station.h"
#include "desktop/stations/finds/finds_station.h"
#include "desktop/stations/plan/plan_station.h"
#include "desktop/stations/proof/proof_station.h"
#include "desktop/stations/reclaim/reclaim_station.h"
#include "desktop/stations/survey/survey_station.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {

using namespace zt::desktop;

/// Answers what the test laid ready; an unanswered question fails the test.
class ScriptedPrompter final : public Prompter {
public:
  std::optional<QString> chooseFolder(QWidget*, const QString& title) override {
    return take(folders, title);
  }
  std::optional<QString> chooseFile(QWidget*, const QString& title, const QString&) override {
    return take(files, title);
  }
  std::optional<QString> chooseNewFile(QWidget*, const QString& title, const QString&) override {
    return take(newFiles, title);
  }
  std::optional<TargetAnswer> askTarget(QWidget*) override {
    if (!target) ADD_FAILURE() << "asked for a target";
    return std::exchange(target, std::nullopt);
  }
  bool confirm(QWidget*, const QString& title, const QString& text, const QString&) override {
    asked.append(text);
    if (yesToAll) return true;
    if (!yes) ADD_FAILURE() << "asked: " << title.toStdString();
    return std::exchange(yes, std::nullopt).value_or(false);
  }
  std::optional<int> choose(QWidget*, const QString& title, const QString& text,
                            const QStringList& ways) override {
    asked.append(text);
    offered = ways;
    if (!inTurn.isEmpty()) return inTurn.takeFirst();
    if (std::exchange(here, false)) return static_cast<int>(ways.size()) - 1;
    if (!way) ADD_FAILURE() << "asked: " << title.toStdString();
    return std::exchange(way, std::nullopt);
  }
  void tell(QWidget*, const QString&, const QString& text) override { told.append(text); }

  /// The job lies on the drive that is measured: the last way on.
  void keepHere() { here = true; }
  QStringList folders, files, newFiles, told, asked, offered;
  std::optional<int> way;
  QList<int> inTurn;  ///< ways, one question after another
  bool here = false;
  std::optional<TargetAnswer> target;
  std::optional<bool> yes;
  bool yesToAll = false;

private:
  static std::optional<QString> take(QStringList& from, const QString& title) {
    if (from.isEmpty()) return ADD_FAILURE() << "asked: " << title.toStdString(), std::nullopt;
    return from.takeFirst();
  }
};

/// A window on the real machine, with verbs that press real keys and buttons and wait for what should come.
class WindowTest : public ::testing::Test {
protected:
  void SetUp() override {
    window = std::make_unique<MainWindow>(real, prompter);
    window->show();
    window->resize(1280, 800);  // the offscreen screen is smaller
    ASSERT_TRUE(QTest::qWaitForWindowExposed(window.get()));
  }
  template <class T>
  T* find(const char* name) {
    auto* found = window->findChild<T*>(QLatin1String(name));
    if (found == nullptr) ADD_FAILURE() << "no " << name;
    return found;
  }
  static bool waitFor(const std::function<bool()>& done) { return QTest::qWaitFor(done, 60'000); }
  bool idle() {
    return waitFor([&] { return session().work() == Session::Work::none; });
  }
  void click(const char* name) {
    auto* button = find<QPushButton>(name);
    ASSERT_TRUE(waitFor([&] { return button->isVisible() && button->isEnabled(); })) << name;
    QTest::mouseClick(button, Qt::LeftButton);
  }
  void key(QWidget* widget, Qt::Key k, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QTest::keyClick(widget, k, m);
  }
  void station(int number) {
    key(window.get(), static_cast<Qt::Key>(Qt::Key_0 + number), Qt::ControlModifier);
  }
  /// Chooses a find by a part of its title.
  void choose(const QString& title) {
    auto* list = find<QTreeView>("finds");
    auto* filter = find<QLineEdit>("findsFilter");
    key(list, Qt::Key_Slash);
    filter->clear();
    QTest::keyClicks(filter, title);
    key(filter, Qt::Key_Return);
    const QModelIndex group = list->model()->index(0, 0);
    ASSERT_TRUE(group.isValid()) << title.toStdString();
    key(list, Qt::Key_Home);
    key(list, Qt::Key_Down);
  }
  /// Presses a key on it, too.
  void judge(const QString& title, Qt::Key k) {
    choose(title);
    key(find<QTreeView>("finds"), k);
    ASSERT_TRUE(idle());
  }
  void measureStandIn(const TempFolder& t) {
    ASSERT_TRUE(zt::demo::build(t / "si", real.clock->now()));
    window->openStandIn(QString::fromStdString(t / "si"));
    ASSERT_TRUE(waitFor([&] { return standInChosen(); }));
    key(find<QWidget>("shelf"), Qt::Key_Return);
    ASSERT_TRUE(waitFor([&] { return session().view().survey != nullptr; }));
    ASSERT_TRUE(idle());
  }
  bool standInChosen() {
    const auto* shelf = window->findChild<DriveShelf*>(QStringLiteral("shelf"));
    return shelf->chosen() >= 0 && shelf->drives()[shelf->chosen()].standIn;
  }
  /// The ticks of the consents, one a group.
  QList<QCheckBox*> agreements() {
    QCoreApplication::processEvents();  // what was just made is shown
    QList<QCheckBox*> all;
    for (QCheckBox* tick : window->findChildren<QCheckBox*>())
      if (tick->objectName().startsWith(QLatin1String("agree-")) && tick->isVisible()) all.append(tick);
    return all;
  }
  /// Ticks all of them by the keyboard.
  void agree() {
    const auto ticks = agreements();
    ASSERT_FALSE(ticks.isEmpty());
    for (QCheckBox* tick : ticks) {
      tick->setFocus();
      key(tick, Qt::Key_Space);
    }
  }
  Session& session() { return window->session(); }
  QString text(const char* name) { return find<QLabel>(name)->text(); }

  Workshop real = realWorkshop();
  ScriptedPrompter prompter;
  std::unique_ptr<MainWindow> window;
};

}  // namespace zt::test
