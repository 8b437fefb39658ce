// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/proof/upkeep_view.h"

#include <QtWidgets>

#include "core/job/shop.h"
#include "core/query/question.h"
#include "core/upkeep/run_rule.h"
#include "desktop/models/rows_model.h"
#include "desktop/stations/station.h"
#include "desktop/style/look.h"

namespace zt::desktop {

UpkeepView::UpkeepView(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("upkeepView"));
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Upkeep"), this));
  head->addSpacing(10);
  head->addWidget(noteLabel(tr("what is done again by itself; ztally upkeep install starts it"), this), 1);
  auto* back = linkButton(tr("Back to the proof"), "upkeepBack", this);
  head->addWidget(back);
  box->addLayout(head);
  rules_ = ledgerView("upkeepRules", tr("Rules"), this);
  rows_ = new RowsModel({tr("rule"), tr("last run"), tr("next")}, {}, this);
  rules_->setModel(rows_);
  rules_->setUniformRowHeights(false);
  rules_->setWordWrap(true);
  rules_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  rules_->setColumnWidth(1, 140);
  rules_->setColumnWidth(2, 100);
  box->addWidget(rules_, 1);
  setupForm();
  connect(back, &QPushButton::clicked, this, &UpkeepView::closed);
  connect(rules_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& now) {
            drop_->setEnabled(now.isValid());
            change_->setEnabled(now.isValid());
            // A long sentence has no room in its row.
            if (now.isValid()) said_->setText(now.siblingAtColumn(0).data().toString());
          });
}

void UpkeepView::setupForm() {
  auto* box = static_cast<QVBoxLayout*>(layout());
  auto* form = new QHBoxLayout;
  action_ = new QComboBox(this);
  action_->setAccessibleName(tr("How"));
  action_->setObjectName(QStringLiteral("upkeepAction"));
  for (const char* id : {"empty", "discard", "drop", "limit"})
    action_->addItem(say(&Words::action, std::string_view(id)), QLatin1String(id));
  question_ = new QLineEdit(this);
  question_->setAccessibleName(tr("What"));
  question_->setObjectName(QStringLiteral("upkeepQuestion"));
  question_->setPlaceholderText(tr("what: trash, caches, over 1 GB…"));
  older_ = new QSpinBox(this);
  older_->setAccessibleName(tr("Untouched for so many days"));
  older_->setObjectName(QStringLiteral("upkeepOlder"));
  older_->setRange(0, 3650);
  older_->setSpecialValueText(tr("of any age"));
  older_->setSuffix(tr(" days untouched"));
  cap_ = new QSpinBox(this);
  cap_->setAccessibleName(tr("Kept within so many megabytes"));
  cap_->setObjectName(QStringLiteral("upkeepCap"));
  cap_->setRange(0, 1'000'000);
  cap_->setSpecialValueText(tr("all of it"));
  cap_->setSuffix(tr(" MB stay"));
  when_ = new QComboBox(this);
  when_->setAccessibleName(tr("When"));
  when_->setObjectName(QStringLiteral("upkeepWhen"));
  const std::pair<QString, UpkeepWhen> times[] = {{tr("weekly"), UpkeepWhen::weekly},
                                                  {tr("daily"), UpkeepWhen::daily},
                                                  {tr("monthly"), UpkeepWhen::monthly},
                                                  {tr("after upgrades"), UpkeepWhen::upgrade}};
  for (const auto& [text, when] : times) when_->addItem(text, static_cast<int>(when));
  auto* tryOut = button(tr("What would it do?"), "upkeepTry", this);
  keep_ = button(tr("Keep the rule"), "upkeepKeep", this, true);
  drop_ = linkButton(tr("Drop the chosen rule"), "upkeepDrop", this);
  change_ = linkButton(tr("Change the chosen rule"), "upkeepChange", this);
  for (QWidget* w : std::initializer_list<QWidget*>{action_, question_, older_, cap_, when_, tryOut, keep_})
    form->addWidget(w, w == question_ ? 1 : 0);
  said_ = new QLabel(this);
  said_->setObjectName(QStringLiteral("upkeepSaid"));
  said_->setWordWrap(true);
  auto* chosen = new QHBoxLayout;
  chosen->addWidget(change_);
  chosen->addSpacing(16);
  chosen->addWidget(drop_);
  chosen->addStretch();
  box->addLayout(chosen);
  box->addWidget(said_);
  box->addLayout(form);
  keep_->setEnabled(false);
  drop_->setEnabled(false);
  change_->setEnabled(false);
  // What was tried is what is kept.
  const auto typed = [this] {
    tried_.reset();
    keep_->setEnabled(false);
  };
  connect(question_, &QLineEdit::textChanged, this, typed);
  connect(older_, &QSpinBox::valueChanged, this, typed);
  connect(cap_, &QSpinBox::valueChanged, this, typed);
  connect(action_, &QComboBox::currentIndexChanged, this, typed);
  connect(when_, &QComboBox::currentIndexChanged, this, typed);
  connect(tryOut, &QPushButton::clicked, this, &UpkeepView::tryOut);
  connect(question_, &QLineEdit::returnPressed, this, &UpkeepView::tryOut);
  connect(keep_, &QPushButton::clicked, this, &UpkeepView::keep);
  connect(drop_, &QPushButton::clicked, this, &UpkeepView::drop);
  connect(change_, &QPushButton::clicked, this, &UpkeepView::change);
}

void UpkeepView::open() {
  fill();
  question_->setFocus();
}

void UpkeepView::fill() {
  QList<Row> rows;
  const TimeNs now = session_.workshop().clock->now();
  for (const UpkeepRule& rule : UpkeepDesk(session_).rules()) {
    const QString last = rule.ran.empty() ? tr("not yet") : say(&Words::ran, rule.ran.back());
    const auto next = nextTime(rule, now);
    rows.append({QString::fromStdString(rule.id),
                 -1,
                 false,
                 false,
                 {{say(&Words::rule, rule), {}, false, false, false, false},
                  {last, {}, false, false, true, false},
                  {next ? dateText(*next) : QStringLiteral("–"), {}, false, false, false, false}}});
  }
  rows_->setRows(rows);
  if (rows.isEmpty())
    said_->setText(tr("No rules yet. A rule never takes what is personal, arrived or unjudged."));
}

UpkeepRule UpkeepView::asTyped() const {
  UpkeepRule rule = UpkeepDesk(session_).blank();
  for (const UpkeepRule& earlier : UpkeepDesk(session_).rules())
    if (earlier.id == changing_) rule = earlier;
  rule.action = action_->currentData().toString().toStdString();
  QuestionWords known;
  known.findKinds = findKinds(*session_.workshop().craft);
  known.theirs = Look::ofApplication().words().asked(known.findKinds);
  rule.question = question_->text().toStdString();
  // Whoever runs it later may speak another language; what is not understood is said when it is tried.
  if (const auto question = parseQuestion(rule.question, known)) rule.question = questionText(*question);
  rule.olderDays = older_->value();
  rule.capTo = static_cast<Bytes>(cap_->value()) * 1'000'000;
  rule.id = changing_;
  rule.when = static_cast<UpkeepWhen>(when_->currentData().toInt());
  return rule;
}

void UpkeepView::tryOut() {
  if (session_.busy()) return;
  if (session_.view().drive.standIn) {
    said_->setText(tr("“%1” cannot be tried here: rules are for real drives, and this is a stand-in.")
                       .arg(question_->text()));
    return;
  }
  const UpkeepRule rule = asTyped();
  if (needsCap(*session_.workshop().craft, rule) && rule.capTo == 0) {
    said_->setText(tr("Say how many megabytes stay: more than none."));
    return cap_->setFocus();
  }
  UpkeepDesk(session_).tryOut(rule, [this, rule, alive = QPointer(this)](const UpkeepOutcome& outcome) {
    if (!alive) return;
    const UpkeepEnd end = outcome.ran.end;
    QString text = say(&Words::rule, rule) + QLatin1Char('\n');
    if (end == UpkeepEnd::done || end == UpkeepEnd::partly)
      text += tr("Today it would take %1, %2; nothing was changed. The largest: %3")
                  .arg(say(&Words::things, outcome.ran.things), say(&Words::bytes, outcome.ran.planned),
                       say(&Words::path, outcome.things.front().path));
    else
      text +=
          say(&Words::upkeepEnd, end) +
          (outcome.ran.why.empty() ? QString()
                                   : QStringLiteral(" (%1)").arg(QString::fromStdString(outcome.ran.why)));
    said_->setText(text);
    const bool may =
        end != UpkeepEnd::wholeHome && end != UpkeepEnd::placeChanged && end != UpkeepEnd::failed;
    tried_ = may ? std::optional(rule) : std::nullopt;
    keep_->setEnabled(may);
  });
}

void UpkeepView::keep() {
  if (!tried_) return;
  if (auto kept = UpkeepDesk(session_).keep(*std::exchange(tried_, std::nullopt)); !kept) {
    Q_EMIT failed(kept.error());
    return;
  }
  keep_->setEnabled(false);
  changing_.clear();
  said_->clear();
  question_->clear();
  fill();
}

/// Its place, its limits and its runs stay; what the form has is said anew.
void UpkeepView::change() {
  const std::string id =
      rules_->currentIndex().siblingAtColumn(0).data(RowsModel::idRole).toString().toStdString();
  for (const UpkeepRule& rule : UpkeepDesk(session_).rules()) {
    if (rule.id != id) continue;
    changing_ = id;
    action_->setCurrentIndex(std::max(0, action_->findData(QString::fromStdString(rule.action))));
    question_->setText(QString::fromStdString(rule.question));
    older_->setValue(rule.olderDays);
    cap_->setValue(static_cast<int>(rule.capTo / 1'000'000));
    when_->setCurrentIndex(std::max(0, when_->findData(static_cast<int>(rule.when))));
    said_->setText(tr("Say it anew, and see what it would do before it is kept."));
    question_->setFocus();
  }
}

void UpkeepView::drop() {
  const QString id = rules_->currentIndex().siblingAtColumn(0).data(RowsModel::idRole).toString();
  if (id.isEmpty()) return;
  if (auto dropped = UpkeepDesk(session_).drop(id.toStdString()); !dropped) Q_EMIT failed(dropped.error());
  drop_->setEnabled(false);
  change_->setEnabled(false);
  changing_.clear();
  fill();
}

}  // namespace zt::desktop
