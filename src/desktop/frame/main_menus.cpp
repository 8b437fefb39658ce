// SPDX-License-Identifier: GPL-3.0-or-later
// The menus of the main window: every action is in one, with its keys.
#include <QtWidgets>

#include "desktop/frame/main_window.h"
#include "desktop/frame/word_book.h"
#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

QAction* MainWindow::act(QMenu* menu, const QString& text, const QKeySequence& keys, const char* name,
                         std::function<void()> run) {
  auto* action = menu->addAction(text);
  action->setObjectName(QLatin1String(name));
  action->setShortcut(keys);
  if (!keys.isEmpty())
    action->setToolTip(text + QStringLiteral(" (") + keys.toString(QKeySequence::NativeText) +
                       QLatin1Char(')'));
  connect(action, &QAction::triggered, this, [run = std::move(run)] { run(); });
  addAction(action);
  return action;
}

void MainWindow::setupMenus() {
  setupFileMenu();
  setupWorkMenus();
  setupViewMenu();
  setupHelpMenu();
}

void MainWindow::setupFileMenu() {
  auto* file = menuBar()->addMenu(tr("&File"));
  act(file, tr("Open a &folder…"), QKeySequence::Open, "actOpenFolder", [this] {
    if (const auto folder = prompter_.chooseFolder(this, tr("Measure a folder"))) openPlace(*folder);
  });
  act(file, tr("Open a &job…"), QKeySequence(tr("Ctrl+J")), "actOpenJob", [this] {
    if (const auto job = prompter_.chooseFile(this, tr("Open a job"), tr("Jobs (*.ztjob)"))) openPlace(*job);
  });
  act(file, tr("Open a &stand-in drive…"), {}, "actOpenStandIn", [this] { standInDialog(); });
  file->addSeparator();
  act(file, tr("&Export the survey…"), {}, "actExport", [this] { exportSurvey(); });
  act(file, tr("&Import a survey…"), {}, "actImport", [this] {
    if (const auto path =
            prompter_.chooseFile(this, tr("Import a survey"), tr("Surveys (*.jsonl.zst *.csv)")))
      importSurvey(*path);
  });
  file->addSeparator();
  act(file, tr("Look for &drives again"), QKeySequence::Refresh, "actDrives", [this] { drives_.look(); });
  file->addSeparator();
  act(file, tr("&Quit"), QKeySequence::Quit, "actQuit", [this] { close(); });
}

void MainWindow::setupWorkMenus() {
  auto* go = menuBar()->addMenu(tr("&Go"));
  const QStringList names{tr("&Bench"), tr("&Survey"),  tr("&Finds"),
                          tr("&Plan"),  tr("&Reclaim"), tr("P&roof")};
  for (int i = 0; i < stationCount; ++i)
    act(go, names[i], QKeySequence(QStringLiteral("Ctrl+%1").arg(i + 1)),
        QByteArray("actStation" + QByteArray::number(i + 1)).constData(), [this, i] { goTo(i); });
  go->addSeparator();
  act(go, tr("&Age × size field"), QKeySequence(tr("Ctrl+F2")), "actField", [this] {
    goTo(surveyStation);
    survey_->showFace(survey_->faceShown() == SurveyStation::fieldFace ? SurveyStation::foldersFace
                                                                       : SurveyStation::fieldFace);
  });
  act(go, tr("F&ilter"), QKeySequence(Qt::Key_Slash), "actFilter",
      [this] { stations_[station()]->startFilter(); });
  act(go, tr("Find a &command…"), QKeySequence(tr("Ctrl+K")), "actCommand", [this] { findCommand(); });

  auto* work = menuBar()->addMenu(tr("&Work"));
  act(work, tr("&Measure"), QKeySequence(tr("Ctrl+M")), "actMeasure", [this] {
    if (session_.busy()) return;
    if (station() == benchStation || !session_.view().open)
      bench_->measureChosen();
    else
      measure();
  });
  measureFolderAction_ = act(work, tr("Measure the &folder again"), QKeySequence(tr("Ctrl+Shift+M")),
                             "actMeasureFolder", [this] {
                               goTo(surveyStation);
                               survey_->measureCurrent();
                             });
  pauseAction_ = act(work, tr("Pa&use"), QKeySequence(tr("Ctrl+B")), "actPause", [this] { togglePause(); });
  pauseAction_->setEnabled(false);
  stopAction_ = act(work, tr("&Stop"), QKeySequence(Qt::Key_Escape), "actStop", [this] { session_.stop(); });
  stopAction_->setEnabled(false);
  work->addSeparator();
  act(work, tr("Plan the find\tP"), {}, "actPlanFind", [this] { finds_->judge(FindsStation::Saying::plan); });
  act(work, tr("Hold the find\tH"), {}, "actHoldFind", [this] { finds_->judge(FindsStation::Saying::hold); });
  act(work, tr("Keep the find\tK"), {}, "actKeepFind", [this] { finds_->judge(FindsStation::Saying::keep); });
  act(work, tr("The find may go\tM"), {}, "actMayGo", [this] { finds_->judge(FindsStation::Saying::mayGo); });
  act(work, tr("Not now\tN"), {}, "actNotNow", [this] { finds_->judge(FindsStation::Saying::notNow); });
  work->addSeparator();
  act(work, tr("&Propose a plan"), QKeySequence(tr("Ctrl+P")), "actPropose", [this] {
    goTo(planStation);
    plan_->propose();
  });
  act(work, tr("S&tart the run"), {}, "actStart", [this] {
    goTo(reclaimStation);
    reclaim_->start();
  });
  act(work, tr("Read the drive again (&prove)"), QKeySequence(tr("Ctrl+R")), "actProve", [this] {
    if (session_.view().survey && !session_.busy()) session_.prove();
  });
  act(work, tr("Put held things &back"), {}, "actPutBack", [this] { proof_->putBack(); });
  act(work, tr("&Release held things…"), {}, "actRelease", [this] { proof_->release(); });
}

void MainWindow::setupViewMenu() {
  auto* view = menuBar()->addMenu(tr("&View"));
  QSettings settings;
  const auto check = [&](const QString& text, const char* name, bool on, std::function<void(bool)> run) {
    auto* action = view->addAction(text);
    action->setObjectName(QLatin1String(name));
    action->setCheckable(true);
    action->setChecked(on);
    connect(action, &QAction::toggled, this, std::move(run));
    addAction(action);
  };
  check(tr("&Dark face"), "actDark", settings.value(QStringLiteral("dark"), false).toBool(),
        [this](bool on) { setDark(on); });
  check(tr("&IEC units (GiB)"), "actIec", settings.value(QStringLiteral("iec"), false).toBool(),
        [this](bool on) { setBase(on); });
  view->addSeparator();
  check(tr("Column &length"), "actLength", settings.value(QStringLiteral("columns/length"), false).toBool(),
        [this](bool on) { survey_->folders()->setColumnShown(FolderModel::lengthColumn, on); });
  check(tr("Column &exclusive"), "actExclusive",
        settings.value(QStringLiteral("columns/exclusive"), false).toBool(),
        [this](bool on) { survey_->folders()->setColumnShown(FolderModel::exclusiveColumn, on); });
  check(tr("Column &files"), "actFiles", settings.value(QStringLiteral("columns/files"), false).toBool(),
        [this](bool on) { survey_->folders()->setColumnShown(FolderModel::filesColumn, on); });
  check(tr("Column &newest"), "actNewest", settings.value(QStringLiteral("columns/newest"), true).toBool(),
        [this](bool on) { survey_->folders()->setColumnShown(FolderModel::newestColumn, on); });
  view->addSeparator();
  act(view, tr("&Look inside\tL"), {}, "actLook", [this] {
    goTo(surveyStation);
    survey_->lookInside();
  });
  act(view, tr("&How the statement was obtained"), {}, "actSources", [this] { survey_->explainStatement(); });
  act(view, tr("&Copy the paths of the chosen finds"), QKeySequence(tr("Ctrl+Shift+C")), "actCopyPaths",
      [this] { QGuiApplication::clipboard()->setText(finds_->currentPaths().join(QLatin1Char('\n'))); });
}

void MainWindow::setupHelpMenu() {
  auto* help = menuBar()->addMenu(tr("&Help"));
  act(help, tr("Explain a &word"), QKeySequence::HelpContents, "actExplain", [this] { explainWord(); });
  act(help, tr("&About Zip Tally"), {}, "actAbout", [this] {
    prompter_.tell(this, tr("About Zip Tally"),
                   tr("Zip Tally %1\n\nMeasures a nearly full drive, plans what to reclaim, carries it out "
                      "safely, and proves it.\n\n"
                      "Free software under the GNU General Public License, version 3 or later.")
                       .arg(QCoreApplication::applicationVersion()));
  });
}

void MainWindow::restoreSettings() {
  QSettings settings;
  setDark(settings.value(QStringLiteral("dark"), false).toBool());
  setBase(settings.value(QStringLiteral("iec"), false).toBool());
  survey_->folders()->setColumnShown(FolderModel::lengthColumn,
                                     settings.value(QStringLiteral("columns/length"), false).toBool());
  survey_->folders()->setColumnShown(FolderModel::exclusiveColumn,
                                     settings.value(QStringLiteral("columns/exclusive"), false).toBool());
  survey_->folders()->setColumnShown(FolderModel::filesColumn,
                                     settings.value(QStringLiteral("columns/files"), false).toBool());
  survey_->folders()->setColumnShown(FolderModel::newestColumn,
                                     settings.value(QStringLiteral("columns/newest"), true).toBool());
  resize(1280, 800);
  restoreGeometry(settings.value(QStringLiteral("geometry")).toByteArray());
  // The title bar needs room too; a window manager that has none gives it back.
  constexpr int titleBar = 36;
  const QSize room = screen()->availableGeometry().size() - QSize(4, titleBar);
  resize(size().boundedTo(room));
}

void MainWindow::setDark(bool dark) {
  QSettings().setValue(QStringLiteral("dark"), dark);
  Look::ofApplication().setDark(dark);
  refresh();
}

void MainWindow::setBase(bool iec) {
  QSettings().setValue(QStringLiteral("iec"), iec);
  Look::ofApplication().setBase(iec ? UnitBase::iec : UnitBase::decimal);
  refresh();
}

void MainWindow::findCommand() {
  QDialog dialog(this);
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
    for (QAction* action : actions()) {
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
void MainWindow::explainWord() {
  static constexpr const char* byStation[] = {"target", "statement", "standing", "plan", "consent", "proof"};
  QString word = words_->word();
  if (word.isEmpty()) word = QString::fromLatin1(byStation[station()]);
  (new WordBook(word, this))->show();
}

}  // namespace zt::desktop
