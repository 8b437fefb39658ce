// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/finds/evidence_panel.h"

#include <QtWidgets>

#include "desktop/charts/time_line.h"
#include "desktop/models/rows_model.h"
#include "desktop/stations/finds/inside_rows.h"
#include "desktop/stations/finds/points_view.h"
#include "desktop/stations/inside_view.h"
#include "desktop/stations/station.h"
#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

/// As high as its text, if there is room; else it scrolls.
class TextArea final : public QScrollArea {
public:
  TextArea(QLabel* text, QWidget* parent) : QScrollArea(parent), text_(text) {
    setWidget(text);
    setWidgetResizable(true);
    setFrameShape(QFrame::NoFrame);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum);
    setFocusPolicy(Qt::NoFocus);
    viewport()->setAutoFillBackground(false);
    text->setAutoFillBackground(false);
  }
  QSize sizeHint() const override { return {200, text_->heightForWidth(std::max(200, viewport()->width()))}; }
  QSize minimumSizeHint() const override { return {200, std::min(least, sizeHint().height())}; }
  int least = 160;  ///< so high it stays if there is so much

protected:
  void resizeEvent(QResizeEvent* event) override {
    QScrollArea::resizeEvent(event);
    if (event->oldSize().width() != event->size().width()) updateGeometry();
  }

private:
  QLabel* text_;
};

EvidencePanel::EvidencePanel(LookInto look, QWidget* parent) : QWidget(parent), look_(std::move(look)) {
  setObjectName(QStringLiteral("evidence"));
  setProperty("word", QStringLiteral("find"));
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(22, 0, 0, 0);
  auto* head = new QHBoxLayout;
  auto* names = new QVBoxLayout;
  title_ = titleLabel({}, this);
  title_->setObjectName(QStringLiteral("evidenceTitle"));
  title_->setWordWrap(true);
  title_->setTextFormat(Qt::PlainText);
  note_ = noteLabel({}, this);
  names->addWidget(title_);
  names->addWidget(note_);
  head->addLayout(names, 1);
  auto* amounts = new QVBoxLayout;
  gain_ = new QLabel(this);
  gain_->setFont(typeface(Type::figure));
  gainNote_ = new QLabel(this);
  gainNote_->setFont(typeface(Type::small));
  gainNote_->setForegroundRole(QPalette::PlaceholderText);
  for (auto* l : {gain_, gainNote_}) l->setAlignment(Qt::AlignRight), amounts->addWidget(l);
  head->addLayout(amounts);
  box->addLayout(head);
  auto* rule = new QFrame(this);
  rule->setFrameShape(QFrame::HLine);
  box->addWidget(rule);
  timeLine_ = new TimeLine(this);
  box->addWidget(timeLine_);
  points_ = new PointsView(this);
  points_->hide();
  connect(points_, &PointsView::planned, this, &EvidencePanel::pointsPlanned);
  box->addWidget(points_);
  facts_ = new QLabel(this);
  facts_->setObjectName(QStringLiteral("facts"));
  facts_->setTextFormat(Qt::RichText);
  facts_->setWordWrap(true);
  facts_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
  facts_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  factsArea_ = new TextArea(facts_, this);
  box->addWidget(factsArea_);
  withPoints_ = new QPushButton(this);
  withPoints_->setObjectName(QStringLiteral("planWithPoints"));
  withPoints_->setFocusPolicy(Qt::TabFocus);
  withPoints_->hide();
  connect(withPoints_, &QPushButton::clicked, this, &EvidencePanel::withPointsPlanned);
  box->addWidget(withPoints_, 0, Qt::AlignLeft);
  insideTitle_ = new QLabel(tr("Look inside"), this);
  insideTitle_->setFont(typeface(Type::strong));
  box->addWidget(insideTitle_);
  inside_ = ledgerView("inside", tr("Look inside"), this);
  insideRows_ = new RowsModel({tr("name"), tr("newest"), tr("occupied")}, {1, 2}, this);
  inside_->setModel(insideRows_);
  inside_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  inside_->setColumnWidth(1, 90);
  inside_->setColumnWidth(2, 84);
  inside_->setMinimumHeight(132);
  inside_->setToolTip(tr("K keeps one thing; the others stay as they are"));
  inside_->installEventFilter(this);
  box->addWidget(inside_, 100);
  seen_ = new InsideView(this);
  box->addWidget(seen_, 100);
  box->addStretch(1);
  soon_ = new QTimer(this);
  soon_->setSingleShot(true);
  soon_->setInterval(150);
  connect(soon_, &QTimer::timeout, this, &EvidencePanel::lookNow);
  connect(inside_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& row) {
            if (!row.isValid() || !context_ || row.data(RowsModel::idRole).toString().isEmpty()) return;
            const auto node = static_cast<NodeId>(row.data(RowsModel::idRole).toUInt());
            lookSoon(context_->tree.isFolder(node) ? PathBytes{} : context_->tree.path(node));
          });
  for (QLabel* l : {title_, note_, gain_, gainNote_})
    l->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum);
  amounts->addStretch();
  names->addStretch();
}

void EvidencePanel::show(const Find* find, const ContextPtr& context, const EvidenceDesk* desk) {
  const bool any = find != nullptr && context != nullptr;
  const bool same = any && context_ == context && shown_ == find->id && things_ == find->items.size();
  if (!same)
    for (QWidget* w : std::initializer_list<QWidget*>{timeLine_, gain_, gainNote_, factsArea_, insideTitle_,
                                                      inside_, seen_})
      w->setVisible(any);
  context_ = context;
  if (!any) {
    shown_.clear();
    points_->hide();
    withPoints_->hide();
    title_->setText(tr("No find chosen"));
    note_->setText(tr("Choose one on the left to see what is known of it."));
    return;
  }
  const QString title = say(&Words::findTitle, *find);
  const bool isPath = find->items.size() == 1 && title == say(&Words::path, find->items.front().path);
  title_->setText(isPath ? title.section(QLatin1Char('/'), -1) : title);
  note_->setText(say(&Words::standing, find->standing) + QStringLiteral(" · ") +
                 say(&Words::findNote, *find));
  note_->setWordWrap(true);
  gain_->setText(say(&Words::bytes, find->gain.atMost));
  gain_->setToolTip(say(&Words::exact, find->gain.atMost));
  const bool locked = find->standing <= Standing::kept && find->offers.empty();
  gainNote_->setText(find->standing == Standing::bedrock || locked ? tr("occupied; locked")
                                                                   : say(&Words::gainNote, find->gain));
  timeLine_->show(find->newest, find->accessed * nsPerSecond, context->options.now);
  if (!same) points_->show(*find, context);
  const bool series = points_->isVisibleTo(this);
  timeLine_->setVisible(!series);
  factsArea_->least = series ? 70 : 160;
  factsArea_->updateGeometry();
  inside_->setMinimumHeight(series ? 72 : 132);
  tellPinned(*find, *context);
  fillFacts(*find, *context, desk);
  shown_ = find->id;
  things_ = find->items.size();
  if (!same) fillInside(*find, *context);
}

/// Where snapshots keep some of its bytes from coming free: what both together would give.
void EvidencePanel::tellPinned(const Find& find, const FindContext& context) {
  FindContext::Pinned pinned;
  const bool may = context.points.kept() > 0 && find.gain.sure < find.gain.atMost && !find.offers.empty();
  if (may) pinned = context.pinned(find.items);
  withPoints_->setVisible(pinned.helps);
  if (pinned.helps)
    withPoints_->setText(
        tr("S  plan it with the snapshots that hold it: %1").arg(say(&Words::bytes, pinned.with)));
}

NodeId EvidencePanel::currentThing() const {
  const QModelIndex row = inside_->currentIndex();
  const QString id =
      row.isValid() && inside_->isVisible() ? row.data(RowsModel::idRole).toString() : QString();
  return id.isEmpty() ? noNode : static_cast<NodeId>(id.toUInt());
}

bool EvidencePanel::eventFilter(QObject* watched, QEvent* event) {
  if (watched != inside_ || event->type() != QEvent::KeyPress) return QWidget::eventFilter(watched, event);
  const auto* key = static_cast<QKeyEvent*>(event);
  if (key->key() != Qt::Key_K || key->modifiers() != Qt::NoModifier || currentThing() == noNode) return false;
  Q_EMIT exempted(currentThing());
  return true;
}

void EvidencePanel::fillFacts(const Find& find, const FindContext& context, const EvidenceDesk* desk) {
  QString rows;
  const auto row = [&](const QString& label, const QString& text, bool closed = false) {
    rows +=
        QStringLiteral(
            "<tr><td style='padding:3px 18px 3px 0;color:%1'>%2</td><td style='padding:3px 0%4'>%3</td></tr>")
            .arg(face().secondInk.name(),
                 label.toHtmlEscaped().replace(QLatin1Char(' '), QStringLiteral("&nbsp;")),
                 text.toHtmlEscaped(),
                 closed ? QStringLiteral(";color:%1").arg(face().secondInk.name()) : QString());
  };
  const Evidence known = desk != nullptr ? desk->of(find) : Evidence{};
  for (const Said& said : Look::ofApplication().words().evidence(find, context, known))
    row(QString::fromStdString(said.label), QString::fromStdString(said.text));
  if (!find.offers.empty() || !find.closed.empty())
    rows +=
        QStringLiteral("<tr><td colspan='2' style='padding:10px 0 3px 0;font-weight:600'>%1</td></tr>")
            .arg((find.offers.empty() ? tr("What cannot be done") : tr("What can be done")).toHtmlEscaped());
  for (const Offer& offer : find.offers)
    row(say(&Words::offer, offer),
        find.standing == Standing::bedrock
            ? say(&Words::gainNote, offer.gain)
            : tr("%1; regret: %2").arg(say(&Words::gainNote, offer.gain), say(&Words::regret, offer.regret)));
  for (const Offer& offer : find.closed)
    row(say(&Words::offer, offer), say(&Words::closedBecause, offer), true);
  facts_->setText(QStringLiteral("<table cellspacing='0'>%1</table>").arg(rows));
  factsArea_->updateGeometry();
}

void EvidencePanel::fillInside(const Find& find, const FindContext& context) {
  const InsideRows inside = insideRows(find, context);
  insideTitle_->setVisible(inside.rows.size() > 1);
  inside_->setVisible(inside.rows.size() > 1);
  insideTitle_->setText(inside.title);
  insideRows_->setHeads(inside.heads);
  insideRows_->setRows(inside.rows);
  inside_->setColumnWidth(1, inside.widths.first);
  inside_->setColumnWidth(2, inside.widths.second);
  lookSoon(inside.file);
}

void EvidencePanel::lookSoon(const PathBytes& file) {
  file_ = file;
  seen_->clear();
  seen_->setVisible(!file.empty());
  soon_->start();
}

void EvidencePanel::lookNow() {
  if (file_.empty()) return;
  look_(file_, [panel = QPointer(this), file = file_](const Result<Glimpse>& seen) {
    if (panel != nullptr && panel->file_ == file) panel->seen_->show(seen);
  });
}

}  // namespace zt::desktop
