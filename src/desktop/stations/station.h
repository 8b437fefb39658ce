// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <string_view>

#include "desktop/prompter.h"
#include "desktop/session/glance.h"
#include "desktop/session/plan_desk.h"

class QAbstractItemView;
class QLabel;
class QModelIndex;
class QPushButton;
class QStackedWidget;
class QTreeView;

namespace zt::desktop {

/// One of the six places of work. Shows the view of a Session and asks it to act; keeps no job state of its
/// own.
class Station : public QWidget {
  Q_OBJECT
public:
  Station(Session& session, Prompter& prompter, QWidget* parent);
  /// Brings everything shown up to the view.
  virtual void refresh() = 0;
  /// The live figure under the station's name in the strip.
  virtual QString figure() const = 0;
  /// Whether it has something to show already.
  virtual bool ready() const = 0;
  /// Whether the work has come as far as here; the strip shows it.
  virtual bool reached() const { return ready(); }
  /// What it waits for while it has nothing to show; a sentence.
  virtual QString waitsFor() const { return {}; }
  /// Where the keyboard should be when the station is entered.
  virtual void enter() {}
  /// Opens the filter, if it has one.
  virtual void startFilter() {}

Q_SIGNALS:
  void goTo(std::string_view station);
  void measureWanted();  ///< of the place that is open

protected:
  const JobView& view() const { return session_.view(); }
  /// Looks into a file of the survey, beside the work at hand.
  void lookInto(const PathBytes& path, Glance::Then then) {
    glance_.look(session_.sharedView(), path, std::move(then));
  }
  /// Makes the two pages that most stations have: what it waits for, and the work itself. Gives the latter,
  /// still bare.
  QWidget* setupPages(const char* objectName);
  /// Shows the work, or what the station waits for.
  void showPage(bool work);
  bool workShown() const;
  Session& session_;
  PlanDesk desk_;
  Prompter& prompter_;

private:
  Glance glance_;
  QStackedWidget* pages_ = nullptr;
  QLabel* waiting_ = nullptr;
};

/// What the stations of the program are gone to by; which there are is said in one table
/// (frame/stations.cpp).
constexpr std::string_view benchStation = "bench";
constexpr std::string_view surveyStation = "survey";
constexpr std::string_view findsStation = "finds";
constexpr std::string_view planStation = "plan";
constexpr std::string_view reclaimStation = "reclaim";
constexpr std::string_view proofStation = "proof";

/// Pieces that every station is made of.
QLabel* titleLabel(const QString& text, QWidget* parent);
QLabel* noteLabel(const QString& text, QWidget* parent, const char* name = nullptr);
QPushButton* button(const QString& text, const char* name, QWidget* parent, bool main = false);
QPushButton* linkButton(const QString& text, const char* name, QWidget* parent);
/// `heard`: what it is called by who hears it.
QTreeView* ledgerView(const char* name, const QString& heard, QWidget* parent);
/// Chooses one row and nothing else, whatever keys are held down, and brings it into view.
void chooseRow(QAbstractItemView* view, const QModelIndex& index);

}  // namespace zt::desktop
