// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/survey/survey_station.h"
#include "desktop/session/measure_desk.h"

#include <QtWidgets>

#include "desktop/stations/survey/look_inside.h"
#include "desktop/style/language.h"
#include "desktop/style/look.h"

namespace zt::desktop {

SurveyStation::SurveyStation(Session& session, Prompter& prompter, QWidget* parent)
    : Station(session, prompter, parent) {
  auto* page = setupPages("surveyStation");
  auto* row = new QHBoxLayout(page);
  row->setContentsMargins(0, 0, 0, 0);
  auto* left = new QVBoxLayout;
  statement_ = new StatementPage(page);
  sources_ = linkButton(tr("how each line was obtained…"), "sources", page);
  exceptions_ = linkButton({}, "exceptions", page);
  left->addWidget(statement_, 1);
  left->addWidget(sources_);
  left->addWidget(exceptions_);
  row->addLayout(left);
  row->addSpacing(22);
  auto* right = new QVBoxLayout;
  faces_ = new QStackedWidget(page);
  folders_ = new FoldersFace(page);
  faces_->addWidget(folders_);
  field_ = new FieldFace(page);
  faces_->addWidget(field_);
  faces_->addWidget(setupList());
  right->addWidget(faces_, 1);
  question_ = new QuestionLine("surveyFilter",
                               tr("/  part of a name, over 1 GB, older 1 y, video, not in srv…"), this);
  right->addWidget(question_);
  row->addLayout(right, 1);
  connect(question_, &QuestionLine::asked, this, &SurveyStation::ask);
  connect(question_, &QuestionLine::entered, this, &SurveyStation::enter);
  connect(folders_, &FoldersFace::menuWanted, this, &SurveyStation::contextMenu);
  connect(folders_, &FoldersFace::fieldWanted, this, [this] { showFace(fieldFace); });
  connect(folders_, &FoldersFace::restWanted, this, [this](const PathBytes& folder) {
    Question in;
    Condition c;
    c.sort = folder.empty() ? Condition::Sort::name : Condition::Sort::in;
    c.text = folder.empty() ? "*" : folder;
    in.conditions.push_back(c);
    question_->setText(QString::fromStdString(questionText(in)));
    list_->table()->setFocus();
  });
  connect(field_, &FieldFace::foldersWanted, this, [this] { showFace(foldersFace); });
  connect(field_, &FieldFace::planWanted, this,
          [this](const std::vector<PathBytes>& paths) { desk_.planPaths(paths, {}); });
  connect(exceptions_, &QPushButton::clicked, this, &SurveyStation::listExceptions);
  connect(sources_, &QPushButton::clicked, this, &SurveyStation::explainStatement);
  setupKeys(folders_->tree());
  setupKeys(list_->table());
}

QWidget* SurveyStation::setupList() {
  auto* page = new QWidget(this);
  auto* box = new QVBoxLayout(page);
  box->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("List"), page));
  head->addStretch();
  auto* back = linkButton(tr("folders"), "listToFolders", page);
  connect(back, &QPushButton::clicked, this, [this] {
    question_->setText({});
    showFace(foldersFace);
  });
  head->addWidget(back);
  box->addLayout(head);
  list_ = new ListFace(page);
  box->addWidget(list_, 1);
  connect(list_, &ListFace::menuWanted, this, &SurveyStation::contextMenu);
  connect(list_, &ListFace::opened, this, [this](const PathBytes& path) {
    showFace(foldersFace);
    folders_->goTo(path);
  });
  return page;
}

void SurveyStation::setupKeys(QWidget* on) {
  for (const auto& [key, run] : std::initializer_list<std::pair<Qt::Key, std::function<void()>>>{
           {Qt::Key_P, [this] { planChosen({}); }},
           {Qt::Key_H, [this] { planChosen("hold"); }},
           {Qt::Key_K, [this] { markChosen(Mark::keep); }},
           {Qt::Key_M, [this] { markChosen(Mark::mayGo); }},
           {Qt::Key_L, [this] { lookInside(); }}}) {
    auto* shortcut = new QShortcut(QKeySequence(key), on, nullptr, nullptr, Qt::WidgetShortcut);
    connect(shortcut, &QShortcut::activated, this, run);
  }
}

/// In a narrow window the ribbons give way to the names.
void SurveyStation::resizeEvent(QResizeEvent* event) {
  Station::resizeEvent(event);
  // The station's own width: what lies in it is laid out only after this.
  folders_->setRibbonWidth(std::clamp(width() - 740, 90, 250));
}

void SurveyStation::refresh() {
  showPage(ready() || watching());
  if (watching()) return showProgress();
  if (!ready()) return;
  statement_->show(view().survey);
  const auto count = view().survey->exceptions.size();
  exceptions_->setVisible(count > 0 && faceShown() != fieldFace);
  sources_->setVisible(faceShown() != fieldFace);
  exceptions_->setText(
      counted(count, "1 place could not be looked into…", "%1 places could not be looked into…"));
  question_->setEnabled(true);
  folders_->show(view());
  list_->setContext(view().context);
  field_->show(view());
  if (asked_ != view().context) {
    asked_ = view().context;
    question_->setWords(questionWords(*asked_));
  }
}

void SurveyStation::showProgress() {
  if (!watching()) return;
  const bool first = !folders_->isLive();
  showPage(true);
  folders_->showLive(session_.live());
  field_->showLive(session_.live()->field());
  if (!first) return;
  asked_.reset();
  list_->setContext(nullptr);
  question_->setEnabled(false);
  if (faceShown() == listFace) showFace(foldersFace);
  statement_->show(nullptr);
  sources_->hide();
  exceptions_->hide();
}

QString SurveyStation::waitsFor() const {
  return session_.work() == Session::Work::measuring
             ? tr("Measuring. What is accounted for already shows in the Level.")
             : tr("Nothing is measured yet. Choose a drive on the Bench and measure it.");
}

QString SurveyStation::figure() const {
  if (watching()) return tr("%1 so far").arg(say(&Words::bytes, session_.live()->occupied(0)));
  if (!ready()) return tr("not measured");
  const QString seen = tr("%1 seen").arg(say(&Words::bytes, view().survey->tree.totals(0).occupied));
  if (view().imported()) return seen + tr(" · imported");
  return view().stale ? seen + tr(" · stale") : seen;
}

void SurveyStation::enter() {
  if (!ready() && !watching()) return;
  QWidget* const faces[] = {folders_->tree(), field_->grid(), list_->table()};
  faces[faceShown()]->setFocus();
}

void SurveyStation::startFilter() {
  question_->start();
}

void SurveyStation::showFace(Face face) {
  faces_->setCurrentIndex(face);
  // The field needs the room; the statement is one key away.
  statement_->setVisible(face != fieldFace);
  question_->setVisible(face != fieldFace);
  sources_->setVisible(face != fieldFace && view().survey);
  exceptions_->setVisible(face != fieldFace && view().survey && !view().survey->exceptions.empty());
  if (!question_->hasKeyboard()) enter();
}

SurveyStation::Face SurveyStation::faceShown() const {
  return static_cast<Face>(faces_->currentIndex());
}

void SurveyStation::ask(const Question& question) {
  if (!ready()) return;
  if (question.empty()) {
    if (faceShown() == listFace) showFace(foldersFace);
    return;
  }
  if (faceShown() != listFace) showFace(listFace);
  list_->ask(question);
}

std::optional<PathBytes> SurveyStation::currentPath() const {
  return faceShown() == listFace ? list_->currentPath() : folders_->currentPath();
}

std::vector<PathBytes> SurveyStation::chosenPaths() const {
  if (!ready() || watching()) return {};
  return faceShown() == listFace ? list_->chosenPaths() : folders_->chosenPaths();
}

void SurveyStation::listExceptions() {
  QStringList lines;
  for (const auto& e : view().survey->exceptions) {
    if (lines.size() == 2000) {
      lines.append(tr("and %1 more").arg(view().survey->exceptions.size() - 2000));
      break;
    }
    lines.append(say(&Words::path, view().survey->tree.path(e.node)) + QStringLiteral(": ") +
                 say(&Words::exception, e.kind));
  }
  prompter_.tell(this, tr("Not looked into"), lines.join(QLatin1Char('\n')));
}

void SurveyStation::explainStatement() {
  if (!ready()) return;
  const Statement& s = view().survey->statement;
  QString text;
  for (std::size_t i = 0; i < statementLines; ++i) {
    const auto line = static_cast<StatementLine>(i);
    QStringList parts;
    for (const StatementPart& part : s.parts)
      if (part.line == line) parts.append(QStringLiteral("      ") + say(&Words::statementPart, part));
    if (s[line] == 0 && parts.isEmpty() && s.source(line) == LineSource::none) continue;
    text += tr("%1: %2, %3")
                .arg(say(&Words::statementLine, line), say(&Words::signedBytes, s[line]),
                     say(&Words::lineSource, s.source(line))) +
            QLatin1Char('\n');
    if (!parts.isEmpty()) text += parts.join(QLatin1Char('\n')) + QLatin1Char('\n');
  }
  if (const QString times = say(&Words::accessTimes, *view().survey); !times.isEmpty())
    text += QLatin1Char('\n') + times;
  if (view().rightsProblem)
    text += QLatin1Char('\n') +
            tr("Measured without the rights asked for: %1").arg(say(&Words::error, *view().rightsProblem));
  prompter_.tell(this, tr("How each line was obtained"), text.trimmed());
}

void SurveyStation::measureCurrent() {
  if (!ready() || session_.busy() || view().closed) return;
  auto path = currentPath();
  if (!path) return;
  const SurveyTree& t = view().survey->tree;
  const auto node = t.find(*path);
  if (!node) return;
  MeasureDesk(session_).measureFolder(t.isFolder(*node) ? *path : PathBytes(parentPath(*path)));
}

void SurveyStation::lookInside() {
  const auto path = ready() && !watching() ? currentPath() : std::nullopt;
  if (!path) return;
  const SurveyTree& t = view().survey->tree;
  if (const auto node = t.find(*path); node && t.isFolder(*node))
    showInside(this, t, *node);
  else
    lookInto(*path, [this, path](const Result<Glimpse>& seen) {
      if (seen)
        showInside(this, *path, *seen);
      else
        Q_EMIT session_.failed(seen.error());
    });
}

void SurveyStation::showStanding(Standing standing) {
  if (!ready()) return;
  showFace(foldersFace);
  folders_->goTo(standing);
}

void SurveyStation::planChosen(const std::string& action) {
  auto paths = chosenPaths();
  std::erase(paths, PathBytes{});
  if (!paths.empty() && !session_.busy()) desk_.planPaths(paths, action);
}

void SurveyStation::markChosen(std::optional<Mark> mark) {
  const auto paths = chosenPaths();
  if (paths.empty() || session_.busy()) return;
  const bool all =
      std::all_of(paths.begin(), paths.end(), [&](const auto& p) { return view().marks.of(p) == mark; });
  desk_.mark(paths, all ? std::nullopt : mark);
}

void SurveyStation::contextMenu(const QPoint& globalPos) {
  const std::vector<PathBytes> paths = chosenPaths();
  if (paths.empty()) return;
  const PathBytes whole = joinPath(view().survey->root, paths.front());
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("entryMenu"));
  if (!view().closed) {
    menu.addAction(tr("Plan it\tP"), this, [this] { planChosen({}); });
    menu.addAction(tr("Plan to hold\tH"), this, [this] { planChosen("hold"); });
    menu.addSeparator();
  }
  menu.addAction(tr("Keep\tK"), this, [this] { markChosen(Mark::keep); });
  menu.addAction(tr("May go\tM"), this, [this] { markChosen(Mark::mayGo); });
  menu.addAction(tr("Nothing said"), this, [this] { markChosen(std::nullopt); });
  menu.addSeparator();
  if (!view().closed) {
    menu.addAction(tr("Look inside\tL"), this, &SurveyStation::lookInside);
    menu.addAction(tr("Measure this folder again"), this, &SurveyStation::measureCurrent);
    menu.addSeparator();
  }
  menu.addAction(tr("Copy the path"), this, [paths, root = view().survey->root] {
    QStringList text;
    for (const PathBytes& path : paths) text.append(say(&Words::path, joinPath(root, path)));
    QGuiApplication::clipboard()->setText(text.join(QLatin1Char('\n')));
  });
  if (!view().closed)
    menu.addAction(tr("Open the file manager here"), this, [whole] {
      QDesktopServices::openUrl(
          QUrl::fromLocalFile(QFile::decodeName(QByteArray::fromStdString(std::string(parentPath(whole))))));
    });
  menu.exec(globalPos);
}

}  // namespace zt::desktop
