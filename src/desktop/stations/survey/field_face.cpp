// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/survey/field_face.h"

#include <QtWidgets>

#include "desktop/stations/station.h"
#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

namespace {
constexpr std::size_t mostRows = 500;
}

FieldFace::FieldFace(QWidget* parent) : QWidget(parent) {
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Age × size field"), this));
  head->addSpacing(10);
  head->addWidget(noteLabel(tr("a block's area is its bytes"), this));
  head->addStretch();
  auto* back = linkButton(tr("folders"), "showFolders", this);
  connect(back, &QPushButton::clicked, this, &FieldFace::foldersWanted);
  head->addWidget(back);
  box->addLayout(head);
  auto* row = new QHBoxLayout;
  grid_ = new AgeSizeGrid(this);
  row->addWidget(grid_, 3);
  row->addWidget(setupPicked(), 2);
  box->addLayout(row, 1);
  connect(grid_, &AgeSizeGrid::pickChanged, this, &FieldFace::askPicked);
  connect(&engine_, &ListEngine::answered, this, [this](const auto& answer) { fillPicked(*answer); });
}

QWidget* FieldFace::setupPicked() {
  auto* side = new QWidget(this);
  auto* box = new QVBoxLayout(side);
  box->setContentsMargins(0, 0, 0, 0);
  note_ = noteLabel({}, side, "pickedNote");
  note_->setWordWrap(true);
  box->addWidget(note_);
  picked_ = ledgerView("pickedFiles", tr("Picked files"), side);
  rows_ = new RowsModel({tr("file"), tr("occupied")}, {1}, this);
  picked_->setModel(rows_);
  picked_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  picked_->setColumnWidth(1, 80);
  picked_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  box->addWidget(picked_, 1);
  auto* plan = button(tr("Plan the chosen files"), "planPicked", side);
  connect(plan, &QPushButton::clicked, this, &FieldFace::planChosen);
  box->addWidget(plan);
  return side;
}

void FieldFace::show(const JobView& view) {
  if (view.survey == survey_) return;
  survey_ = view.survey;
  context_ = view.context;
  grid_->show(view.composition ? view.composition->field() : FieldCells{});
}

void FieldFace::showLive(const AgeSizeField& field) {
  if (survey_) rows_->setRows({});
  survey_.reset();
  context_.reset();
  grid_->showLive(field);
  note_->setText(grid_->pickedNote());
}

/// A look at every file of the survey; the engine takes it off this thread.
void FieldFace::askPicked() {
  note_->setText(grid_->pickedNote());
  const auto range = grid_->picked();
  if (!range || !context_) {
    rows_->setRows({});
    return;
  }
  ListEngine::Request question;
  question.context = context_;
  question.question.field = range;
  engine_.ask(std::move(question));
}

void FieldFace::fillPicked(const ListAnswer& answer) {
  if (answer.context != context_ || !grid_->picked()) return;
  const SurveyTree& t = context_->tree;
  QList<Row> rows;
  for (std::size_t i = 0; i < std::min(mostRows, answer.inOrder); ++i) {
    const NodeId id = answer.rows[i];
    const QString path = say(&Words::path, t.path(id));
    rows.append({path,
                 static_cast<int>(stratumOf(context_->standing[id])),
                 false,
                 false,
                 {{path, path + QLatin1Char('\n') + say(&Words::age, t.modified(id), survey_->finished),
                   false, false, false, false},
                  {say(&Words::bytes, t.occupied(id)), say(&Words::exact, t.occupied(id)), false, false,
                   false, true}}});
  }
  rows_->setRows(rows);
}

void FieldFace::planChosen() {
  std::vector<PathBytes> paths;
  for (const QModelIndex& index : picked_->selectionModel()->selectedRows())
    paths.push_back(unescapePath(index.data(RowsModel::idRole).toString().toStdString()));
  if (!paths.empty()) Q_EMIT planWanted(paths);
}

}  // namespace zt::desktop
