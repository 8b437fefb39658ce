// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/finds/points_view.h"

#include <QtWidgets>

#include "desktop/charts/points_line.h"
#include "desktop/stations/station.h"
#include "desktop/style/language.h"
#include "desktop/style/look.h"

namespace zt::desktop {

namespace {

PointsPicture pictureOf(const PointModel& model, const PointSeries& series, TimeNs now) {
  PointsPicture picture;
  for (const std::uint32_t i : series.points) {
    const Point& p = model[i];
    QString name = dateText(p.taken) + QStringLiteral(" · ") + say(&Words::ago, p.taken, now);
    if (!p.words.empty()) name += QStringLiteral(" · ") + say(&Words::path, p.words);
    if (i < model.kept() && !p.readOnly)
      name += QStringLiteral(" · ") + say(&Words::writablePoint, p.changed);
    const PointLock lock = model.lock(i);
    const bool stays = lock != PointLock::none && lock != PointLock::foreign;
    if (stays) name += QStringLiteral(" · ") + PointsLine::tr("stays: %1").arg(say(&Words::pointLock, lock));
    picture.marks.push_back({p.taken, model.own(i), stays, name});
  }
  for (const PointSpan& s : model.spans(series))
    if (s.last > s.first) picture.spans.push_back({s.first, s.last, s.bytes});
  std::stable_sort(picture.spans.begin(), picture.spans.end(),
                   [](const auto& a, const auto& b) { return a.bytes > b.bytes; });
  return picture;
}

}  // namespace

PointsView::PointsView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("pointsView"));
  setProperty("word", QStringLiteral("point"));
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 4, 0, 0);
  line_ = new PointsLine(this);
  box->addWidget(line_);
  auto* row = new QHBoxLayout;
  sum_ = new QLabel(this);
  sum_->setObjectName(QStringLiteral("pointsSum"));
  sum_->setFont(typeface(Type::strong));
  row->addWidget(sum_, 1);
  plan_ = new QPushButton(tr("P  plan these"), this);
  plan_->setObjectName(QStringLiteral("planPoints"));
  connect(plan_, &QPushButton::clicked, this, &PointsView::plan);
  row->addWidget(plan_);
  box->addLayout(row);
  rules_ = new QVBoxLayout;
  rules_->setSpacing(2);
  box->addLayout(rules_);
  connect(line_, &PointsLine::changed, this, &PointsView::tellSum);
}

void PointsView::show(const Find& find, const ContextPtr& context) {
  series_ = nullptr;
  context_ = context;
  const auto point = find.items.empty() ? std::nullopt : context->stateOf(find.items.front());
  setVisible((find.kind == "points" || find.kind == "stale-backups") && point.has_value());
  if (!isVisibleTo(parentWidget()) || !point) return;
  series_ = &context->points.seriesOf(*point);
  line_->show(pictureOf(context->points, *series_, context->options.now));
  addRules();
  tellSum();
}

/// The rules of the command line, each with what it would free before it is chosen; those with an amount with
/// a box for it.
void PointsView::addRules() {
  while (QLayoutItem* old = rules_->takeAt(0)) {
    delete old->widget();
    delete old;
  }
  addRule({"newest", "", tr("Keep the newest")}, nullptr);
  addRule({"newest", "", tr("Keep the newest %1")}, amount("newest", 2, 9999, 3));
  addRule({"daily", "", tr("Keep one a day")}, nullptr);
  addRule({"weekly", "", tr("Keep one a week")}, nullptr);
  addRule({"monthly", "", tr("Keep one a month")}, nullptr);
  addRule({"younger", "d", tr("Keep those of the last %1 days")}, amount("younger", 1, 36'499, 30));
  addRule({"share", "%", tr("Keep what fits in %1 % of the drive")}, amount("share", 0, 100, 5));
}

QSpinBox* PointsView::amount(const char* rule, int least, int most, int usual) {
  auto* box = new QSpinBox;
  box->setObjectName(QStringLiteral("amount ") + QString::fromLatin1(rule));
  box->setRange(least, most);
  box->setFixedWidth(76);
  box->setValue(usual);
  return box;
}

void PointsView::addRule(const Rule& rule, QSpinBox* amount) {
  auto* row = new QWidget(this);
  auto* box = new QHBoxLayout(row);
  box->setContentsMargins(0, 0, 0, 0);
  auto* button = new QPushButton(row);
  const bool bare = amount == nullptr && rule.words == "newest";
  button->setObjectName(QStringLiteral("rule ") + QString::fromStdString(rule.words) +
                        (bare ? QStringLiteral(" 1") : QString()));
  button->setFlat(true);
  button->setStyleSheet(QStringLiteral("text-align:left;padding:2px 4px"));
  box->addWidget(button, 1);
  if (amount != nullptr) {
    amount->setAccessibleName(rule.sentence.arg(QStringLiteral("…")));
    box->addWidget(amount);
  }
  const auto tell = [this, rule, amount, button, row] {
    const std::vector<bool> here = picksOf(rule, amount);
    GainModel::Points only(context_->points.size(), false);
    for (std::size_t i = 0; i < here.size(); ++i) only[series_->points[i]] = here[i];
    const auto count = static_cast<std::uint64_t>(std::count(here.begin(), here.end(), true));
    const QString sentence = amount != nullptr ? rule.sentence.arg(amount->value()) : rule.sentence;
    button->setEnabled(count > 0);
    row->setHidden(amount == nullptr && count == 0);  // an amount can be changed
    button->setText(count == 0 ? tr("%1: none goes").arg(sentence)
                               : counted(count, "%2: %1 goes, %3 come free", "%2: %1 go, %3 come free",
                                         {sentence, say(&Words::bytes, context_->points.of(only).frees)}));
  };
  const auto pick = [this, rule, amount] { line_->setPicked(picksOf(rule, amount)); };
  tell();
  connect(button, &QPushButton::clicked, this, pick);
  if (amount != nullptr) connect(amount, qOverload<int>(&QSpinBox::valueChanged), this, tell);
  if (amount != nullptr)
    connect(amount, &QSpinBox::editingFinished, this, [amount, pick] {
      if (amount->hasFocus()) pick();  // Enter, not leaving it
    });
  rules_->addWidget(row);
}

/// What would go of the series by a rule, by places in it.
std::vector<bool> PointsView::picksOf(const Rule& rule, const QSpinBox* amount) const {
  std::string words = rule.words;
  if (amount != nullptr) words += " " + std::to_string(amount->value()) + rule.unit;
  if (words == "newest") words = "newest 1";
  const auto go = pointsToGo(context_->points, *parsePolicy(words), context_->survey.usage.capacity,
                             context_->options.now);
  std::vector<bool> here(series_->points.size(), false);
  for (std::size_t i = 0; i < here.size(); ++i) here[i] = go[series_->points[i]];
  return here;
}

std::vector<bool> PointsView::chosen() const {
  std::vector<bool> all(context_->points.size(), false);
  for (std::size_t i = 0; i < series_->points.size(); ++i) all[series_->points[i]] = line_->picked()[i];
  return all;
}

void PointsView::tellSum() {
  if (series_ == nullptr) return;
  const auto all = chosen();
  const auto count = std::count(all.begin(), all.end(), true);
  plan_->setEnabled(count > 0);
  sum_->setText(count == 0 ? tr("Nothing picked: drag over the line, or use Left and Right with Shift")
                           : tr("%1 picked, %2 come free")
                                 .arg(say(&Words::number, static_cast<std::uint64_t>(count)),
                                      say(&Words::bytes, context_->points.of(all).frees)));
}

void PointsView::plan() {
  if (series_ == nullptr) return;
  const auto all = chosen();
  std::vector<PathBytes> paths;
  for (std::size_t i = 0; i < all.size(); ++i)
    if (all[i]) paths.push_back(context_->points[i].path);
  if (!paths.empty()) Q_EMIT planned(paths);
}

void PointsView::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_P && event->modifiers() == Qt::NoModifier) return plan();
  QWidget::keyPressEvent(event);
}

}  // namespace zt::desktop
