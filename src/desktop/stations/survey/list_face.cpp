// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/survey/list_face.h"

#include <QtWidgets>

#include "desktop/models/ledger_delegate.h"
#include "desktop/stations/station.h"
#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

namespace {

/// A flat table that opens a row on Enter and copies the chosen rows as tab-separated text.
class LedgerTable final : public QTableView {
public:
  using QTableView::QTableView;

protected:
  void keyPressEvent(QKeyEvent* event) override {
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
      if (currentIndex().isValid()) Q_EMIT activated(currentIndex());
      return;
    }
    if (!event->matches(QKeySequence::Copy)) return QTableView::keyPressEvent(event);
    constexpr int most = 100'000;
    QString text;
    int rows = 0;
    for (const auto& range : selectionModel()->selection())
      for (int row = range.top(); row <= range.bottom() && rows < most; ++row, ++rows) {
        QStringList cells;
        for (int c = 0; c < model()->columnCount(); ++c)
          if (!isColumnHidden(c)) cells.append(model()->index(row, c).data().toString());
        text += cells.join(QLatin1Char('\t')) + QLatin1Char('\n');
      }
    if (!text.isEmpty()) QGuiApplication::clipboard()->setText(text);
  }
};

}  // namespace

ListFace::ListFace(QWidget* parent) : QWidget(parent) {
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  setupTable();
  box->addWidget(table_, 1);
  note_ = noteLabel({}, this, "listNote");
  box->addWidget(note_);
  sumLater_.setSingleShot(true);
  sumLater_.setInterval(200);
  connect(&sumLater_, &QTimer::timeout, this, &ListFace::sumChosen);
  connect(&engine_, &ListEngine::answered, this, &ListFace::show);
  connect(&engine_, &ListEngine::summed, this, &ListFace::showSums);
}

void ListFace::setupTable() {
  model_ = new EntryListModel(this);
  table_ = new LedgerTable(this);
  table_->setObjectName(QStringLiteral("entryList"));
  table_->setProperty("word", QStringLiteral("occupied"));
  table_->setAccessibleName(tr("Entries found"));
  table_->setModel(model_);
  table_->setItemDelegate(new LedgerDelegate(table_));
  table_->setFrameShape(QFrame::NoFrame);
  table_->setShowGrid(false);
  table_->setWordWrap(false);
  table_->setTextElideMode(Qt::ElideMiddle);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setCornerButtonEnabled(false);
  table_->setTabKeyNavigation(false);
  table_->viewport()->setAutoFillBackground(false);
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
  table_->verticalHeader()->setDefaultSectionSize(26);
  table_->horizontalHeader()->setHighlightSections(false);
  table_->horizontalHeader()->setSectionResizeMode(static_cast<int>(ListColumn::name), QHeaderView::Stretch);
  for (int c = 1; c < listColumns; ++c) table_->setColumnWidth(c, 88);
  for (const auto hidden : {ListColumn::length, ListColumn::exclusive, ListColumn::files})
    table_->setColumnHidden(static_cast<int>(hidden), true);
  table_->horizontalHeader()->setSortIndicator(static_cast<int>(ListColumn::occupied), Qt::DescendingOrder);
  table_->setSortingEnabled(true);
  table_->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(table_, &QTableView::customContextMenuRequested, this,
          [this](const QPoint& at) { Q_EMIT menuWanted(table_->viewport()->mapToGlobal(at)); });
  connect(table_, &QTableView::activated, this, [this](const QModelIndex& index) {
    if (const NodeId node = model_->nodeAt(index.row()); node != noNode)
      Q_EMIT opened(question_.context->tree.path(node));
  });
  connect(table_->selectionModel(), &QItemSelectionModel::selectionChanged, this,
          [this] { sumLater_.start(); });
  connect(model_, &EntryListModel::sortWanted, this, &ListFace::sortBy);
}

/// In a narrow window the names need the room of the last columns.
void ListFace::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  for (const auto column : {ListColumn::kind, ListColumn::owner})
    table_->setColumnHidden(static_cast<int>(column), width() < 600);
}

void ListFace::setContext(ContextPtr context) {
  if (context == question_.context) return;
  question_.context = std::move(context);
  question_.among.reset();
  model_->show(nullptr);
  note_->clear();
}

void ListFace::ask(const Question& question) {
  if (!question_.context) return;
  question_.question = question;
  question_.among.reset();
  sumLater_.stop();
  engine_.ask(question_);
}

void ListFace::sortBy(ListColumn column, bool descending) {
  question_.column = column;
  question_.descending = descending;
  if (!question_.context || model_->answer() == nullptr) return;
  // The entries are known already; only their order is asked for.
  question_.among = rowsShown();
  engine_.ask(question_);
}

void ListFace::show(const std::shared_ptr<const ListAnswer>& answer) {
  const bool fresh = model_->answer() == nullptr || model_->answer()->rows.size() != answer->rows.size();
  model_->show(answer);
  if (fresh) table_->scrollToTop();
  if (answer->inOrder == answer->rows.size()) sumLater_.start();
  if (answer->rows.empty()) note_->setText(tr("nothing answers this"));
}

std::optional<PathBytes> ListFace::currentPath() const {
  const NodeId node = model_->nodeAt(table_->currentIndex().row());
  if (!question_.context || node == noNode) return std::nullopt;
  return question_.context->tree.path(node);
}

std::vector<PathBytes> ListFace::chosenPaths() const {
  constexpr std::size_t most = 10'000;
  std::vector<PathBytes> paths;
  for (const NodeId node : chosen())
    if (node != noNode && paths.size() < most) paths.push_back(question_.context->tree.path(node));
  return paths;
}

std::vector<NodeId> ListFace::chosen() const {
  std::vector<NodeId> nodes;
  for (const auto& range : table_->selectionModel()->selection())
    for (int row = range.top(); row <= range.bottom(); ++row) nodes.push_back(model_->nodeAt(row));
  if (nodes.empty() && table_->currentIndex().isValid())
    nodes.push_back(model_->nodeAt(table_->currentIndex().row()));
  return nodes;
}

/// The rows of the answer, which they keep alive; never copied here.
std::shared_ptr<const std::vector<NodeId>> ListFace::rowsShown() const {
  return {model_->shared(), &model_->answer()->rows};
}

void ListFace::sumChosen() {
  if (model_->answer() == nullptr) return;
  if (table_->selectionModel()->hasSelection())
    engine_.sum(question_.context, std::make_shared<const std::vector<NodeId>>(chosen()));
  else
    engine_.sum(question_.context, rowsShown());
}

void ListFace::showSums(const ListSums& sums) {
  const QString count = QLocale().toString(static_cast<qulonglong>(sums.entries));
  QString text = table_->selectionModel()->hasSelection() ? tr("%1 picked") : tr("%1 found");
  text = text.arg(count) + tr(" · occupied together %1 · freed if all of them go %2")
                               .arg(say(&Words::bytes, sums.occupied), say(&Words::bytes, sums.freed.atMost));
  if (sums.freed.sure < sums.freed.atMost) text += tr(" (sure: %1)").arg(say(&Words::bytes, sums.freed.sure));
  note_->setText(text);
}

}  // namespace zt::desktop
