// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/proof/proof_station.h"

#include <QtWidgets>

#include "desktop/session/run_desk.h"
#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

ProofStation::ProofStation(Session& session, Prompter& prompter, QWidget* parent)
    : Station(session, prompter, parent) {
  auto* outer = new QVBoxLayout(setupPages("proofStation"));
  outer->setContentsMargins(0, 0, 0, 0);
  faces_ = new QStackedWidget(this);
  outer->addWidget(faces_);
  auto* page = new QWidget(this);
  sheet_ = new SheetView(session, prompter, this);
  faces_->addWidget(page);
  faces_->addWidget(sheet_);
  upkeep_ = new UpkeepView(session, this);
  faces_->addWidget(upkeep_);
  auto* box = new QVBoxLayout(page);
  box->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Proof"), page));
  head->addSpacing(10);
  heading_ = noteLabel({}, page, "proofHeading");
  head->addWidget(heading_, 1);
  box->addLayout(head);
  auto* top = new QHBoxLayout;
  columns_ = new ProofColumns(page);
  top->addWidget(columns_, 5);
  top->addSpacing(20);
  top->addWidget(setupRight(page), 4);
  box->addLayout(top, 2);
  lines_ = ledgerView("proofLines", tr("Lines of the proof"), page);
  lines_->setProperty("word", QStringLiteral("proof"));
  rows_ =
      new RowsModel({tr("line"), tr("promised"), tr("actual"), tr("difference"), tr("why")}, {1, 2, 3}, this);
  lines_->setModel(rows_);
  lines_->setUniformRowHeights(false);
  lines_->setWordWrap(true);
  lines_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  for (int c = 1; c < 4; ++c) lines_->setColumnWidth(c, 90);
  lines_->header()->setSectionResizeMode(4, QHeaderView::Stretch);
  box->addWidget(lines_, 3);
  auto* foot = new QHBoxLayout;
  sum_ = new QLabel(page);
  sum_->setObjectName(QStringLiteral("proofSum"));
  sum_->setFont(typeface(Type::strong));
  foot->addWidget(sum_);
  foot->addStretch();
  again_ = button(tr("Read the drive again"), "proveAgain", page);
  measure_ = button(tr("Measure anew"), "measureAnew", page, true);
  auto* rules = button(tr("Upkeep…"), "upkeep", page);
  rules->setToolTip(tr("Rules that run by themselves, so that it stays so"));
  foot->addWidget(rules);
  connect(rules, &QPushButton::clicked, this, &ProofStation::showUpkeep);
  handOver_ = button(tr("Hand over…"), "handOver", page);
  handOver_->setToolTip(tr("The sheet that the customer takes along, to look at and to save"));
  foot->addWidget(handOver_);
  foot->addWidget(again_);
  foot->addWidget(measure_);
  box->addLayout(foot);
  connect(handOver_, &QPushButton::clicked, this, &ProofStation::showSheet);
  const auto back = [this] {
    faces_->setCurrentIndex(0);
    handOver_->setFocus();
  };
  connect(sheet_, &SheetView::closed, this, back);
  connect(upkeep_, &UpkeepView::closed, this, back);
  connect(upkeep_, &UpkeepView::failed, &session_, &Session::failed);
  connect(sheet_, &SheetView::failed, &session_, &Session::failed);
  connect(again_, &QPushButton::clicked, this, [this] { RunDesk(session_).prove(); });
  connect(measure_, &QPushButton::clicked, this, [this] {
    Q_EMIT measureWanted();
    Q_EMIT goTo(surveyStation);
  });
}

QWidget* ProofStation::setupRight(QWidget* page) {
  auto* right = new QWidget(page);
  auto* box = new QVBoxLayout(right);
  box->setContentsMargins(0, 6, 0, 0);
  verdicts_ = new QLabel(right);
  verdicts_->setObjectName(QStringLiteral("verdicts"));
  verdicts_->setProperty("word", QStringLiteral("target"));
  verdicts_->setWordWrap(true);
  verdicts_->setTextFormat(Qt::RichText);
  box->addWidget(verdicts_);
  box->addSpacing(8);
  held_ = new QLabel(right);
  held_->setObjectName(QStringLiteral("heldNote"));
  held_->setProperty("word", QStringLiteral("hold"));
  held_->setWordWrap(true);
  box->addWidget(held_);
  auto* row = new QHBoxLayout;
  putBack_ = button(tr("Put back"), "putBack", right);
  release_ = button(tr("Release…"), "release", right);
  putBack_->setToolTip(tr("Moves everything held back to where it was; never over anything"));
  release_->setToolTip(tr("Lets everything held go for good"));
  row->addWidget(putBack_);
  row->addWidget(release_);
  row->addStretch();
  box->addLayout(row);
  box->addSpacing(8);
  lent_ = new QLabel(right);
  lent_->setObjectName(QStringLiteral("lentNote"));
  lent_->setProperty("word", QStringLiteral("loan"));
  lent_->setWordWrap(true);
  box->addWidget(lent_);
  auto* loans = new QHBoxLayout;
  payBack_ = button(tr("Pay back"), "payBack", right);
  payBack_->setToolTip(tr("Makes what was switched off as it was before, which needs its room again"));
  loans->addWidget(payBack_);
  loans->addStretch();
  box->addLayout(loans);
  box->addStretch();
  connect(payBack_, &QPushButton::clicked, this, &ProofStation::payBack);
  connect(putBack_, &QPushButton::clicked, this, &ProofStation::putBack);
  connect(release_, &QPushButton::clicked, this, &ProofStation::release);
  return right;
}

void ProofStation::putBack() {
  if (!session_.busy() && !(view().held.empty() && view().elsewhere.empty())) RunDesk(session_).undo();
}

void ProofStation::showSheet() {
  if (!ready() || session_.busy()) return;
  faces_->setCurrentIndex(1);
  sheet_->open();
}

void ProofStation::showUpkeep() {
  if (!ready() || session_.busy()) return;
  faces_->setCurrentIndex(2);
  upkeep_->open();
}

void ProofStation::payBack() {
  if (!session_.busy() && !view().loans.empty()) RunDesk(session_).repay();
}

namespace {
/// What the drive has back for them: names of one file count once.
Bytes freedBy(const std::vector<JournalRecord>& records) {
  Bytes all = 0;
  for (const JournalRecord& r : records) all += r.freed.atMost;
  return all;
}
}  // namespace

void ProofStation::fillHeld() {
  const auto& [held, away, loans] = std::tie(view().held, view().elsewhere, view().loans);
  QStringList notes;
  if (!held.empty())
    notes.append(tr("In the hold: %1, %2. Nothing of it is free until released.")
                     .arg(say(&Words::things, held.size()), say(&Words::bytes, view().proof->held)));
  if (!away.empty())
    notes.append(tr("Moved to another drive: %1, %2. They can be brought back from there; the copies stay.")
                     .arg(say(&Words::things, away.size()), say(&Words::bytes, freedBy(away))));
  if (const QString restart = say(&Words::restart, view().proof->restart); !restart.isEmpty())
    notes.append(restart);
  held_->setText(notes.isEmpty() ? tr("Nothing is held.") : notes.join(QLatin1Char('\n')));
  putBack_->setVisible(!held.empty() || !away.empty());
  putBack_->setText(held.empty() ? tr("Bring back") : tr("Put back"));
  release_->setVisible(!held.empty());
  Bytes needs = 0;
  for (const JournalRecord& r : loans) needs += r.freed.atMost;
  const Bytes free = view().proof->freeAfter;
  lent_->setText(loans.empty()
                     ? QString()
                     : tr("Lent: %1. Paying back needs %2; %3")
                           .arg(say(&Words::path, loans.front().path) +
                                    (loans.size() > 1 ? tr(" and %1 more").arg(loans.size() - 1) : QString()),
                                say(&Words::bytes, needs),
                                free >= needs ? tr("there is room for it.")
                                              : tr("%1 are missing.").arg(say(&Words::bytes, needs - free))));
  lent_->setVisible(!loans.empty());
  payBack_->setVisible(!loans.empty());
  payBack_->setEnabled(free >= needs && !session_.busy());
}

void ProofStation::release() {
  if (session_.busy() || view().held.empty()) return;
  RunDesk(session_).withReleaseConsent([this](const Consent& consent) {
    QStringList things;
    Bytes bytes = 0;
    for (const auto& line : consent.lines) {
      bytes += line.bytes;
      if (things.size() < 12) things.append(say(&Words::path, line.example));
    }
    if (consent.lines.size() > 12) things.append(tr("and %1 more").arg(consent.lines.size() - 12));
    const QString text = tr("These things go for good, %1 in all. This cannot be undone.\n\n%2")
                             .arg(say(&Words::bytes, bytes), things.join(QLatin1Char('\n')));
    if (prompter_.confirm(this, tr("Release what is held"), text, tr("Let them go")))
      RunDesk(session_).release(consent.token);
  });
}

void ProofStation::fillTargets() {
  QString html;
  for (const auto& t : view().proof->targets) {
    const QString name = say(&Words::targetName, t.target).toHtmlEscaped();
    html += t.met ? tr("<p style='margin:2px 0'><b>%1: met</b>, %2 to spare</p>")
                        .arg(name, say(&Words::signedBytes, t.surplus))
                  : tr("<p style='margin:2px 0'><b style='color:%3'>%1: %2 short</b></p>")
                        .arg(name, say(&Words::signedBytes, -t.surplus), face().red.name());
  }
  if (html.isEmpty()) html = tr("<p>No target is chosen.</p>");
  const SignedBytes others = view().proof->byOthers;
  if (std::abs(others) >= 1'000'000)
    html += tr("<p style='margin:8px 0 2px 0'>Others changed the drive meanwhile: %1.</p>")
                .arg(say(&Words::signedBytes, others));
  verdicts_->setText(html);
}

void ProofStation::fillLines() {
  QList<Row> rows;
  const Proof& proof = *view().proof;
  for (const ProofLine& line : proof.lines) {
    const SignedBytes difference = line.actual - static_cast<SignedBytes>(line.promised.sure);
    QStringList why;
    for (const auto& r : line.reasons)
      if (worthSaying(r)) why.append(say(&Words::reason, r));
    QString title = say(&Words::path, line.example);
    if (const Find* find = view().finds->find(line.line)) title = say(&Words::findTitle, *find);
    if (line.items > 1) title += QStringLiteral(", ") + say(&Words::things, line.items);
    rows.append({QString::fromStdString(line.line),
                 -1,
                 false,
                 false,
                 {{title, {}, true, false, false, false},
                  {say(&Words::bytes, line.promised.sure), say(&Words::exact, line.promised.sure), false,
                   false, false, true},
                  {say(&Words::signedBytes, line.actual), {}, true, false, false, true},
                  {say(&Words::signedBytes, difference),
                   {},
                   false,
                   difference < -ownStructures,
                   std::abs(difference) < ownStructures,
                   true},
                  {why.join(QStringLiteral("; ")), {}, false, false, true, false}}});
  }
  const SignedBytes difference = proof.actual - static_cast<SignedBytes>(proof.promised);
  sum_->setText(tr("sum: promised %1, actual %2, difference %3")
                    .arg(say(&Words::bytes, proof.promised), say(&Words::signedBytes, proof.actual),
                         say(&Words::signedBytes, difference)));
  rows_->setRows(rows);
}

void ProofStation::refresh() {
  const bool runs = session_.work() == Session::Work::running;
  showPage(ready() && !runs);
  if (!ready() || runs) return;
  heading_->setText(tr("read again %1").arg(clockTime(view().proof->when)));
  columns_->show(view().picture(), view().proof);
  fillTargets();
  fillHeld();
  fillLines();
  handOver_->setEnabled(!session_.busy());
  again_->setEnabled(!session_.busy());
  measure_->setEnabled(!session_.busy());
}

QString ProofStation::waitsFor() const {
  if (session_.work() == Session::Work::running)
    return tr("A run is under way. The proof comes after it: the drive is then read again.");
  if (view().report) return tr("A run was carried out, and the drive was not read since.");
  return view().survey ? tr("Nothing has been carried out yet, so there is nothing to prove.")
                       : tr("Proof waits for a run. Choose a drive on the Bench and measure it.");
}

QString ProofStation::figure() const {
  if (session_.work() == Session::Work::running) return tr("after the run");
  if (session_.work() == Session::Work::proving) return tr("reading again");
  if (!ready()) return QStringLiteral("–");
  for (const auto& t : view().proof->targets)
    if (!t.met) return tr("not reached");
  return view().proof->targets.empty() ? tr("read again") : tr("targets met");
}

void ProofStation::enter() {
  // A run that was carried out elsewhere, or after which nobody read the drive, has no proof yet.
  if (view().report && !view().proof && !session_.busy()) RunDesk(session_).prove();
  if (ready()) lines_->setFocus();
}

}  // namespace zt::desktop
