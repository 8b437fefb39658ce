// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/stations/question_line.h"
#include "desktop/stations/station.h"
#include "desktop/stations/survey/field_face.h"
#include "desktop/stations/survey/folders_face.h"
#include "desktop/stations/survey/list_face.h"
#include "desktop/stations/survey/statement_page.h"

namespace zt::desktop {

/// Where the bytes are: the statement, and beside it the folders, the age × size field, or a list of what
/// answers a question.
class SurveyStation final : public Station {
  Q_OBJECT
public:
  SurveyStation(Session& session, Prompter& prompter, QWidget* parent);
  void refresh() override;
  QString figure() const override;
  QString waitsFor() const override;
  bool ready() const override { return view().survey != nullptr; }
  void enter() override;
  void startFilter() override;
  enum Face { foldersFace, fieldFace, listFace };
  void showFace(Face face);
  Face faceShown() const;
  /// Takes in the latest state of a survey that is being made.
  void showProgress();
  /// Measures the folder under the cursor again.
  void measureCurrent();
  /// Opens a window on what is in the entry under the cursor.
  void lookInside();
  /// How each line of the statement was obtained, and what it is made of.
  void explainStatement();
  /// Goes to the largest folder of a standing.
  void showStanding(Standing standing);
  FoldersFace* folders() const { return folders_; }
  /// The path under the cursor, relative to the root; nullopt if there is none.
  std::optional<PathBytes> currentPath() const;

protected:
  void resizeEvent(QResizeEvent* event) override;

private:
  QWidget* setupList();
  void setupKeys(QWidget* on);
  bool watching() const { return session_.live() != nullptr; }
  std::vector<PathBytes> chosenPaths() const;
  void ask(const Question& question);
  void listExceptions();
  void planChosen(const std::string& action);
  void markChosen(std::optional<Mark> mark);
  void contextMenu(const QPoint& at);

  QStackedWidget* faces_ = nullptr;
  StatementPage* statement_ = nullptr;
  QPushButton* exceptions_ = nullptr;
  QPushButton* sources_ = nullptr;
  QuestionLine* question_ = nullptr;
  FoldersFace* folders_ = nullptr;
  ListFace* list_ = nullptr;
  FieldFace* field_ = nullptr;
  ContextPtr asked_;  ///< whose words the line knows
};

}  // namespace zt::desktop
