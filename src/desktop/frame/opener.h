// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "desktop/prompter.h"
#include "desktop/session/drive_watch.h"
#include "desktop/session/session.h"

namespace zt::desktop {

/// Gets a place, a job or a survey open, and measures it: all the questions on the way are asked here, once
/// each. GUI thread.
class Opener final : public QObject {
  Q_OBJECT
public:
  Opener(Session& session, DriveWatch& drives, Prompter& prompter, QWidget* window);

  /// A folder to measure, a job file or a survey.
  void open(const QString& path);
  void openJob(const PathBytes& file);
  void openMeasuring(const QByteArray& path, bool standIn);
  /// Opens a place and does `then`, or nothing if it cannot be opened.
  void openFor(const QByteArray& path, bool standIn, std::function<void()> then);
  void addStandIn(const QString& folder);
  void chooseFolder();
  void chooseJob();
  void chooseSurvey();
  void chooseStandIn();
  /// Measures the open place. Asks once whether everything is to be measured; the system itself asks for the
  /// password then.
  void measure();
  void exportSurvey();

Q_SIGNALS:
  void starting();
  void surveyWanted();

private:
  void askPlace(const QByteArray& path, bool standIn, const QByteArray& file);
  void importSurvey(const QString& file);

  Session& session_;
  DriveWatch& drives_;
  Prompter& prompter_;
  QWidget* window_;
  std::function<void()> then_;  ///< what the opening was for; nothing if it fails
  bool rightsAsked_ = false;    ///< once a window is enough
  bool rightsWanted_ = false;
};

}  // namespace zt::desktop
