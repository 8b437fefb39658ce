// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/bench/visits_panel.h"

#include <QtWidgets>

#include "core/job/readings.h"
#include "desktop/models/rows_model.h"
#include "desktop/stations/station.h"
#include "desktop/style/look.h"

namespace zt::desktop {

VisitsPanel::VisitsPanel(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("visitsPanel"));
  setProperty("word", QStringLiteral("visit"));
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(20, 0, 0, 0);
  title_ = titleLabel(tr("Earlier visits"), this);
  title_->setFont(typeface(Type::strong));
  box->addWidget(title_);
  visits_ = ledgerView("visits", tr("Earlier visits"), this);
  rows_ = new RowsModel({tr("when"), tr("free then"), tr("since")}, {1, 2}, this);
  visits_->setModel(rows_);
  visits_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  visits_->setMinimumHeight(48);
  visits_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Ignored);
  visits_->setColumnWidth(1, 72);
  visits_->setColumnWidth(2, 76);
  visits_->setToolTip(tr("Enter opens the job of that visit"));
  box->addWidget(visits_, 1);
  compare_ = linkButton(tr("What changed since the chosen visit"), "benchCompare", this);
  compare_->setToolTip(tr("Compares that visit's survey with the one that is open"));
  box->addWidget(compare_, 0, Qt::AlignLeft);
  const auto fileOf = [](const QModelIndex& index) {
    const QString file = index.siblingAtColumn(0).data(RowsModel::idRole).toString();
    return QByteArray::fromStdString(unescapePath(file.toStdString()));
  };
  connect(compare_, &QPushButton::clicked, this, [this, fileOf] {
    if (const QByteArray file = fileOf(visits_->currentIndex()); !file.isEmpty()) Q_EMIT compareWanted(file);
  });
  trend_ = new QLabel(this);
  trend_->setObjectName(QStringLiteral("benchTrend"));
  trend_->setWordWrap(true);
  trend_->setToolTip(
      tr("The median of how free space went between all visits, without what was reclaimed; the interval "
         "holds it "
         "in 19 of 20 cases."));
  box->addWidget(trend_);
  held_ = new QLabel(this);
  held_->setObjectName(QStringLiteral("benchHeld"));
  held_->setProperty("word", QStringLiteral("hold"));
  held_->setToolTip(tr("They are put back from here even if the job that held them is lost."));
  held_->setWordWrap(true);
  box->addWidget(held_);
  putBack_ = button(tr("Put all of it back"), "benchPutBack", this);
  putBack_->setToolTip(tr("Moves everything held back to where it was; never over anything"));
  box->addWidget(putBack_, 0, Qt::AlignLeft);
  box->addStretch();
  connect(putBack_, &QPushButton::clicked, this, &VisitsPanel::putBackWanted);
  connect(visits_, &QTreeView::activated, this, [this, fileOf](const QModelIndex& index) {
    if (const QByteArray file = fileOf(index); !file.isEmpty()) Q_EMIT jobWanted(file);
  });
}

namespace {
/// How free space goes and where it leads, as far as the visits tell.
QString outlookOf(const DriveAtHand& drive, TimeNs now) {
  if (drive.visits.empty()) return {};
  const Trend trend = trendOf(readingsOf(drive.visits), now);
  QStringList lines{say(&Words::trend, trend)};
  Bytes headroom = 0;
  for (const Target& target : drive.targets)
    if (target.origin != TargetOrigin::task) headroom = std::max(headroom, target.bytes);
  if (trend.lacks != Trend::Lacks::nothing) return lines.front();
  const auto when = [&](Bytes line, const QString& what) {
    const QString text = say(&Words::forecast, trend, whenAt(trend, line), what.toStdString(), now);
    if (!text.isEmpty()) lines.append(text);
  };
  if (headroom > 0) when(headroom, VisitsPanel::tr("headroom gone"));
  when(0, VisitsPanel::tr("full"));
  return lines.join(QLatin1Char('\n'));
}
}  // namespace

void VisitsPanel::show(const DriveAtHand* drive, TimeNs now) {
  QList<Row> rows;
  std::size_t held = 0;
  if (drive != nullptr) {
    for (auto v = drive->visits.rbegin(); v != drive->visits.rend() && rows.size() < 100; ++v) {
      if (v->kind == VisitKind::proved) continue;  // it comes with its run
      const auto since =
          static_cast<SignedBytes>(drive->drive.usage.available) - static_cast<SignedBytes>(v->free);
      const QString file = QString::fromStdString(escapePath(v->file));
      rows.append({file,
                   -1,
                   false,
                   false,
                   {{say(&Words::age, v->when, now) +
                         (v->kind == VisitKind::ran ? tr(": %1 freed").arg(say(&Words::signedBytes, v->rose))
                                                    : QStringLiteral(", ") + dateText(v->when)),
                     dateText(v->when) + QLatin1Char('\n') +
                         (v->file.empty() ? tr("that job was kept in memory only") : file),
                     false, false, false, false},
                    {say(&Words::bytes, v->free), say(&Words::exact, v->free), true, false, false, true},
                    {(since > 0 ? QStringLiteral("+") : QString()) + say(&Words::signedBytes, since),
                     {},
                     false,
                     false,
                     true,
                     true}}});
    }
    held = drive->held.size();
  }
  rows_->setRows(rows);
  visits_->setVisible(!rows.isEmpty());
  compare_->setVisible(!rows.isEmpty());
  title_->setText(drive == nullptr ? QString()
                  : rows.isEmpty() ? tr("No earlier visit")
                                   : tr("Earlier visits"));
  Bytes bytes = 0;
  if (drive != nullptr)
    for (const auto& thing : drive->held) bytes += thing.record.occupied;
  trend_->setText(drive == nullptr ? QString() : outlookOf(*drive, now));
  trend_->setVisible(!trend_->text().isEmpty());
  held_->setText(held == 0
                     ? QString()
                     : tr("Held on it: %1, %2.").arg(say(&Words::things, held), say(&Words::bytes, bytes)));
  Bytes lent = 0;
  if (drive != nullptr)
    for (const OpenLoan& loan : drive->loans) lent += loan.bytes;
  if (lent > 0) {
    const QString note =
        tr("Lent and not paid back: %1. Its job pays it back, at Proof.").arg(say(&Words::bytes, lent));
    held_->setText(held > 0 ? held_->text() + QLatin1Char('\n') + note : note);
  }
  // What is held and lent was said already.
  if (drive != nullptr)
    for (const Reminder& r : drive->reminders)
      if (r.kind == ReminderKind::restart || r.kind == ReminderKind::secondCopy) {
        const QString before =
            held > 0 || lent > 0 || !held_->text().isEmpty() ? held_->text() + QLatin1Char('\n') : QString();
        held_->setText(before + say(&Words::reminder, r, now));
      }
  held_->setVisible(!held_->text().isEmpty());
  putBack_->setVisible(held > 0);
}

}  // namespace zt::desktop
