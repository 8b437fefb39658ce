// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/bench/changes_view.h"

#include <QtWidgets>

#include "desktop/stations/station.h"
#include "desktop/style/look.h"

namespace zt::desktop {

ChangesView::ChangesView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("changesView"));
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("What changed"), this));
  head->addStretch();
  auto* back = linkButton(tr("Back to the drives"), "changesBack", this);
  head->addWidget(back);
  box->addLayout(head);
  summary_ = new QLabel(this);
  summary_->setObjectName(QStringLiteral("changesSummary"));
  summary_->setWordWrap(true);
  box->addWidget(summary_);
  tree_ = ledgerView("changes", tr("What changed"), this);
  tree_->setRootIsDecorated(true);
  model_ = new ChangeModel(this);
  tree_->setModel(model_);
  tree_->setItemDelegateForColumn(ChangeModel::ribbonColumn, new ChangeDelegate(tree_));
  tree_->header()->setSectionResizeMode(ChangeModel::nameColumn, QHeaderView::Stretch);
  tree_->setColumnWidth(ChangeModel::changeColumn, 130);
  tree_->setColumnWidth(ChangeModel::ribbonColumn, 220);
  for (const int c : {ChangeModel::deltaColumn, ChangeModel::beforeColumn, ChangeModel::afterColumn})
    tree_->setColumnWidth(c, 96);
  box->addWidget(tree_, 1);
  connect(back, &QPushButton::clicked, this, &ChangesView::closed);
  auto* leave = new QShortcut(Qt::Key_Escape, this);
  leave->setContext(Qt::WidgetWithChildrenShortcut);
  connect(leave, &QShortcut::activated, this, &ChangesView::closed);
}

void ChangesView::show(const ComparedPtr& compared) {
  const auto& c = compared->comparison;
  QString text =
      tr("From %1 to %2: %3.")
          .arg(dateText(compared->was->finished) + QLatin1Char(' ') + clockTime(compared->was->finished),
               dateText(compared->is->finished) + QLatin1Char(' ') + clockTime(compared->is->finished),
               say(&Words::changeLine, c));
  if (!c.byIdentity)
    text += tr(" What moved cannot be told: they are not of one drive, or one was imported.");
  summary_->setText(text);
  model_->show(compared);
  tree_->setFocus();
  if (model_->rowCount() > 0) tree_->setCurrentIndex(model_->index(0, 0));
}

}  // namespace zt::desktop
