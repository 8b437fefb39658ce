// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/frame/commands.h"

#include <QtWidgets>

#include "desktop/frame/main_window.h"
#include "desktop/frame/word_book.h"
#include "desktop/session/measure_desk.h"
#include "desktop/session/run_desk.h"
#include "desktop/stations/bench/bench_station.h"
#include "desktop/stations/finds/finds_station.h"
#include "desktop/stations/plan/plan_station.h"
#include "desktop/stations/proof/proof_station.h"
#include "desktop/stations/reclaim/reclaim_station.h"
#include "desktop/stations/survey/survey_station.h"
#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

namespace {
/// The columns that the list of folders can do without.
struct FolderColumn {
  const char* title;
  const char* action;
  const char* setting;
  FolderModel::Column column;
  bool shownAtFirst;
};
constexpr FolderColumn columns[] = {
    {QT_TRANSLATE_NOOP("zt::desktop::Commands", "Column &length"), "actLength", "columns/length",
     FolderModel::lengthColumn, false},
    {QT_TRANSLATE_NOOP("zt::desktop::Commands", "Column &exclusive"), "actExclusive", "columns/exclusive",
     FolderModel::exclusiveColumn, false},
    {QT_TRANSLATE_NOOP("zt::desktop::Commands", "Column &files"), "actFiles", "columns/files",
     FolderModel::filesColumn, false},
    {QT_TRANSLATE_NOOP("zt::desktop::Commands", "Column &newest"), "actNewest", "columns/newest",
     FolderModel::newestColumn, true}};

bool columnWanted(const FolderColumn& column) {
  return QSettings().value(QLatin1String(column.setting), column.shownAtFirst).toBool();
}
}  // namespace

QAction* Commands::act(QMenu* menu, const QString& text, const QKeySequence& keys, const char* name,
                       std::function<void()> run) {
  auto* action = menu->addAction(text);
  action->setObjectName(QLatin1String(name));
  action->setShortcut(keys);
  if (!keys.isEmpty())
    action->setToolTip(text + QStringLiteral(" (") + keys.toString(QKeySequence::NativeText) +
                       QLatin1Char(')'));
  connect(action, &QAction::triggered, this, [run = std::move(run)] { run(); });
  window_.addAction(action);
  return action;
}

Commands::Commands(const Reach& reach, MainWindow& window) : QObject(&window), on_(reach), window_(window) {
  setupFileMenu();
  setupWorkMenus();
  setupViewMenu();
  setupHelpMenu();
}

void Commands::setupFileMenu() {
  auto* file = window_.menuBar()->addMenu(tr("&File"));
  act(file, tr("Open a &folder…"), QKeySequence::Open, "actOpenFolder",
      [this] { on_.opener.chooseFolder(); });
  act(file, tr("Open a &job…"), QKeySequence(tr("Ctrl+J")), "actOpenJob", [this] { on_.opener.chooseJob(); });
  act(file, tr("Open a &stand-in drive…"), {}, "actOpenStandIn", [this] { on_.opener.chooseStandIn(); });
  file->addSeparator();
  act(file, tr("&Export the survey…"), {}, "actExport", [this] { on_.opener.exportSurvey(); });
  act(file, tr("&Import a survey…"), {}, "actImport", [this] { on_.opener.chooseSurvey(); });
  file->addSeparator();
  act(file, tr("Look for &drives again"), QKeySequence::Refresh, "actDrives", [this] { on_.drives.look(); });
  file->addSeparator();
  act(file, tr("&Quit"), QKeySequence::Quit, "actQuit", [this] { window_.close(); });
}

void Commands::setupWorkMenus() {
  auto* go = window_.menuBar()->addMenu(tr("&Go"));
  for (int i = 0; i < on_.at.count(); ++i)
    act(go, on_.at.menuTitle(i), QKeySequence(QStringLiteral("Ctrl+%1").arg(i + 1)),
        QByteArray("actStation" + QByteArray::number(i + 1)).constData(),
        [this, id = on_.at.table()[static_cast<std::size_t>(i)].id] { window_.goTo(id); });
  go->addSeparator();
  act(go, tr("&Age × size field"), QKeySequence(tr("Ctrl+F2")), "actField", [this] {
    window_.goTo(surveyStation);
    on_.at.as<SurveyStation>().showFace(on_.at.as<SurveyStation>().faceShown() == SurveyStation::fieldFace
                                            ? SurveyStation::foldersFace
                                            : SurveyStation::fieldFace);
  });
  act(go, tr("F&ilter"), QKeySequence(Qt::Key_Slash), "actFilter",
      [this] { on_.at.all()[on_.at.indexOf(window_.station())]->startFilter(); });
  act(go, tr("Find a &command…"), QKeySequence(tr("Ctrl+K")), "actCommand", [this] { findCommand(); });

  auto* work = window_.menuBar()->addMenu(tr("&Work"));
  act(work, tr("&Measure"), QKeySequence(tr("Ctrl+M")), "actMeasure", [this] {
    if (on_.session.busy()) return;
    if (window_.station() == benchStation || !on_.session.view().open)
      on_.at.as<BenchStation>().measureChosen();
    else
      on_.opener.measure();
  });
  act(work, tr("Add a &target…"), QKeySequence(tr("Ctrl+T")), "actAddTarget", [this] {
    window_.goTo(benchStation);
    on_.at.as<BenchStation>().addTarget();
  });
  act(work, tr("Measure the &folder again"), QKeySequence(tr("Ctrl+Shift+M")), "actMeasureFolder", [this] {
    window_.goTo(surveyStation);
    on_.at.as<SurveyStation>().measureCurrent();
  });
  act(work, tr("&Compare contents"), QKeySequence(tr("Ctrl+D")), "actMatch", [this] {
    if (!on_.session.view().survey || on_.session.busy()) return;
    window_.goTo(findsStation);
    MeasureDesk(on_.session).match();
  });
  act(work, tr("Compare contents, however &short"), QKeySequence(tr("Ctrl+Shift+D")), "actMatchAll", [this] {
    if (!on_.session.view().survey || on_.session.busy()) return;
    window_.goTo(findsStation);
    MeasureDesk(on_.session).match(1);
  });
  pause_ = act(work, tr("Pa&use"), QKeySequence(tr("Ctrl+B")), "actPause",
               [this] { on_.session.setPaused(!on_.session.pauseGate()->paused()); });
  pause_->setEnabled(false);
  stop_ = act(work, tr("&Stop"), QKeySequence(Qt::Key_Escape), "actStop", [this] { on_.session.stop(); });
  stop_->setEnabled(false);
  work->addSeparator();
  setupJudging(work);
  work->addSeparator();
  setupPlanning(work);
}

void Commands::setupJudging(QMenu* work) {
  act(work, tr("Plan the find\tP"), {}, "actPlanFind",
      [this] { on_.at.as<FindsStation>().judge(FindsStation::Saying::plan); });
  act(work, tr("Plan the find with its snapshots\tS"), {}, "actWithPoints",
      [this] { on_.at.as<FindsStation>().judge(FindsStation::Saying::withPoints); });
  act(work, tr("Hold the find\tH"), {}, "actHoldFind",
      [this] { on_.at.as<FindsStation>().judge(FindsStation::Saying::hold); });
  act(work, tr("Move the find to another drive…\tT"), {}, "actMoveFind",
      [this] { on_.at.as<FindsStation>().judge(FindsStation::Saying::move); });
  act(work, tr("Keep the find\tK"), {}, "actKeepFind",
      [this] { on_.at.as<FindsStation>().judge(FindsStation::Saying::keep); });
  act(work, tr("The find may go\tM"), {}, "actMayGo",
      [this] { on_.at.as<FindsStation>().judge(FindsStation::Saying::mayGo); });
  act(work, tr("Not now\tN"), {}, "actNotNow",
      [this] { on_.at.as<FindsStation>().judge(FindsStation::Saying::notNow); });
  act(work, tr("A rule on many…\tR"), {}, "actRule",
      [this] { on_.at.as<FindsStation>().judge(FindsStation::Saying::rule); });
}

void Commands::setupPlanning(QMenu* work) {
  act(work, tr("&Propose a plan"), QKeySequence(tr("Ctrl+P")), "actPropose", [this] {
    window_.goTo(planStation);
    on_.at.as<PlanStation>().propose();
  });
  act(work, tr("Compare &alternatives"), {}, "actCompare", [this] {
    window_.goTo(planStation);
    on_.at.as<PlanStation>().compare();
  });
  act(work, tr("Check what would happen &now"), {}, "actCheck", [this] {
    window_.goTo(planStation);
    on_.at.as<PlanStation>().check();
  });
  act(work, tr("&Undo the last change of the plan"), QKeySequence(tr("Ctrl+Z")), "actUndoEdit",
      [this] { on_.at.as<PlanStation>().undoEdit(); });
  act(work, tr("R&edo it"), QKeySequence(tr("Ctrl+Shift+Z")), "actRedoEdit",
      [this] { on_.at.as<PlanStation>().redoEdit(); });
  act(work, tr("S&tart the run"), {}, "actStart", [this] {
    window_.goTo(reclaimStation);
    on_.at.as<ReclaimStation>().start();
  });
  act(work, tr("Read the drive again (&prove)"), QKeySequence(tr("Ctrl+R")), "actProve", [this] {
    if (on_.session.view().survey && !on_.session.busy()) RunDesk(on_.session).prove();
  });
  act(work, tr("Put held things &back"), {}, "actPutBack", [this] { on_.at.as<ProofStation>().putBack(); });
  act(work, tr("Pay &loans back"), {}, "actPayBack", [this] { on_.at.as<ProofStation>().payBack(); });
  act(work, tr("&Release held things…"), {}, "actRelease", [this] { on_.at.as<ProofStation>().release(); });
}

void Commands::setupViewMenu() {
  auto* view = window_.menuBar()->addMenu(tr("&View"));
  QSettings settings;
  const auto check = [&](const QString& text, const char* name, bool on, std::function<void(bool)> run) {
    auto* action = view->addAction(text);
    action->setObjectName(QLatin1String(name));
    action->setCheckable(true);
    action->setChecked(on);
    connect(action, &QAction::toggled, this, std::move(run));
    window_.addAction(action);
  };
  check(tr("&Dark face"), "actDark", settings.value(QStringLiteral("dark"), false).toBool(),
        [this](bool on) { setDark(on); });
  check(tr("&IEC units (GiB)"), "actIec", settings.value(QStringLiteral("iec"), false).toBool(),
        [this](bool on) { setBase(on); });
  view->addSeparator();
  for (const FolderColumn& column : columns)
    check(tr(column.title), column.action, columnWanted(column), [this, at = column.column](bool on) {
      on_.at.as<SurveyStation>().folders()->setColumnShown(at, on);
    });
  view->addSeparator();
  act(view, tr("&Look inside\tL"), {}, "actLook", [this] {
    window_.goTo(surveyStation);
    on_.at.as<SurveyStation>().lookInside();
  });
  act(view, tr("&How the statement was obtained"), {}, "actSources",
      [this] { on_.at.as<SurveyStation>().explainStatement(); });
  act(view, tr("&Copy the paths of the chosen finds"), QKeySequence(tr("Ctrl+Shift+C")), "actCopyPaths",
      [this] {
        QGuiApplication::clipboard()->setText(
            on_.at.as<FindsStation>().currentPaths().join(QLatin1Char('\n')));
      });
}

void Commands::setupHelpMenu() {
  auto* help = window_.menuBar()->addMenu(tr("&Help"));
  act(help, tr("Explain a &word"), QKeySequence::HelpContents, "actExplain", [this] { explainWord(); });
  act(help, tr("&About Zip Tally"), {}, "actAbout", [this] {
    on_.prompter.tell(
        &window_, tr("About Zip Tally"),
        tr("Zip Tally %1\n\nMeasures a nearly full drive, plans what to reclaim, carries it out "
           "safely, and proves it.\n\n"
           "Free software under the GNU General Public License, version 3 or later.")
            .arg(QCoreApplication::applicationVersion()));
  });
}

void Commands::restoreSettings() {
  setDark(QSettings().value(QStringLiteral("dark"), false).toBool());
  setBase(QSettings().value(QStringLiteral("iec"), false).toBool());
  for (const FolderColumn& column : columns)
    on_.at.as<SurveyStation>().folders()->setColumnShown(column.column, columnWanted(column));
}

void Commands::keepSettings() const {
  for (const FolderColumn& column : columns)
    QSettings().setValue(QLatin1String(column.setting),
                         on_.at.as<SurveyStation>().folders()->columnShown(column.column));
}

void Commands::showWork() {
  const bool stoppable = on_.session.work() == Session::Work::measuring ||
                         on_.session.work() == Session::Work::matching ||
                         on_.session.work() == Session::Work::running;
  stop_->setEnabled(stoppable);
  pause_->setEnabled(stoppable);
  pause_->setText(stoppable && on_.session.pauseGate()->paused() ? tr("&Go on") : tr("Pa&use"));
}

void Commands::setDark(bool dark) {
  QSettings().setValue(QStringLiteral("dark"), dark);
  Look::ofApplication().setDark(dark);
  Q_EMIT lookChanged();
}

void Commands::setBase(bool iec) {
  QSettings().setValue(QStringLiteral("iec"), iec);
  Look::ofApplication().setBase(iec ? UnitBase::iec : UnitBase::decimal);
  Q_EMIT lookChanged();
}

void Commands::findCommand() {
  QDialog dialog(&window_);
  dialog.setObjectName(QStringLiteral("commands"));
  dialog.setWindowTitle(tr("Find a command"));
  dialog.resize(480, 420);
  QVBoxLayout box(&dialog);
  QLineEdit filter;
  filter.setObjectName(QStringLiteral("commandFilter"));
  QListWidget list;
  list.setObjectName(QStringLiteral("commandList"));
  box.addWidget(&filter);
  box.addWidget(&list);
  const auto fill = [&] {
    list.clear();
    for (QAction* action : window_.actions()) {
      QString text = action->text().remove(QLatin1Char('&'));
      if (!action->isEnabled() || !text.contains(filter.text(), Qt::CaseInsensitive)) continue;
      text = text.section(QLatin1Char('\t'), 0, 0) + QStringLiteral("    ") +
             (action->shortcut().isEmpty() ? text.section(QLatin1Char('\t'), 1)
                                           : action->shortcut().toString(QKeySequence::NativeText));
      auto* item = new QListWidgetItem(text, &list);
      item->setData(Qt::UserRole, QVariant::fromValue(static_cast<QObject*>(action)));
    }
    list.setCurrentRow(0);
  };
  fill();
  connect(&filter, &QLineEdit::textChanged, &dialog, fill);
  connect(&filter, &QLineEdit::returnPressed, &dialog, &QDialog::accept);
  connect(&list, &QListWidget::itemActivated, &dialog, &QDialog::accept);
  filter.setFocus();
  if (dialog.exec() != QDialog::Accepted || list.currentItem() == nullptr) return;
  if (auto* action = qobject_cast<QAction*>(list.currentItem()->data(Qt::UserRole).value<QObject*>()))
    action->trigger();
}

/// The word under the keyboard, or of the station.
void Commands::explainWord() {
  QString word = on_.words.word();
  if (word.isEmpty())
    word =
        QString::fromLatin1(on_.at.table()[static_cast<std::size_t>(on_.at.indexOf(window_.station()))].word);
  (new WordBook(word, &window_))->show();
}

}  // namespace zt::desktop
