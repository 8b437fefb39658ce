// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QKeySequence>
#include <QObject>

#include "desktop/frame/opener.h"
#include "desktop/frame/stations.h"

class QAction;
class QMenu;

namespace zt::desktop {

class MainWindow;
class WordFinder;

/// Every command of the window, each in a menu and with its keys. GUI thread.
class Commands final : public QObject {
  Q_OBJECT
public:
  /// What the commands act on.
  struct Reach {
    Session& session;
    DriveWatch& drives;
    Prompter& prompter;
    const Stations& at;
    Opener& opener;
    WordFinder& words;
  };
  Commands(const Reach& reach, MainWindow& window);

  void restoreSettings();
  void keepSettings() const;
  /// Offers to stop and to pause what can be stopped and paused.
  void showWork();

Q_SIGNALS:
  void lookChanged();

private:
  void setupFileMenu();
  void setupWorkMenus();
  void setupJudging(QMenu* work);
  void setupPlanning(QMenu* work);
  void setupViewMenu();
  void setupHelpMenu();
  QAction* act(QMenu* menu, const QString& text, const QKeySequence& keys, const char* name,
               std::function<void()> run);
  void findCommand();
  void explainWord();
  void setDark(bool dark);
  void setBase(bool iec);

  const Reach on_;
  MainWindow& window_;
  QAction* stop_ = nullptr;
  QAction* pause_ = nullptr;
};

}  // namespace zt::desktop
