// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/finds/points_view.h"

#include <QtWidgets>

#include "desktop/charts/points_line.h"
#include "desktop/stations/station.h"
#include "desktop/style/look.h"

namespace zt::desktop {

namespace {

PointsPicture pictureOf(const PointModel& model, const PointSeries& series, TimeNs now) {
  PointsPicture picture;
  for (const std::uint32_t i : series.points) {
    const Point& p = model[i];
    QString name = dateText(p.taken) + QStringLiteral(" · ") + say(&Words::ago, p.taken, now);
    if (!p.words.empty()) name += QStringLiteral(" · ") + say(&Words::path, p.words);
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
  addRules(*context);
  tellSum();
}

/// Each rule says what it would free before it is chosen.
void PointsView::addRules(const FindContext& context) {
  while (QLayoutItem* old = rules_->takeAt(0)) {
    delete old->widget();
    delete old;
  }
  const std::pair<const char*, QString> rules[] = {{"newest 1", tr("Keep the newest")},
                                                   {"newest 3", tr("Keep the newest 3")},
                                                   {"weekly", tr("Keep one a week")},
                                                   {"monthly", tr("Keep one a month")},
                                                   {"younger 30d", tr("Keep those of the last 30 days")},
                                                   {"share 5%", tr("Keep what fits in 5 % of the drive")}};
  std::vector<bool> before;  // of two rules that come to the same the first is enough
  for (const auto& [words, sentence] : rules) {
    auto go =
        pointsToGo(context.points, *parsePolicy(words), context.survey.usage.capacity, context.options.now);
    std::vector<bool> here(series_->points.size(), false);
    for (std::size_t i = 0; i < here.size(); ++i) here[i] = go[series_->points[i]];
    GainModel::Points only(context.points.size(), false);
    for (std::size_t i = 0; i < here.size(); ++i) only[series_->points[i]] = here[i];
    const auto count = std::count(here.begin(), here.end(), true);
    if (count == 0 || here == before) continue;
    before = here;
    auto* rule =
        new QPushButton((count == 1 ? tr("%1: %2 goes, %3 come free") : tr("%1: %2 go, %3 come free"))
                            .arg(sentence, say(&Words::number, static_cast<std::uint64_t>(count)),
                                 say(&Words::bytes, context.points.of(only).frees)),
                        this);
    rule->setObjectName(QStringLiteral("rule ") + QString::fromLatin1(words));
    rule->setFlat(true);
    rule->setStyleSheet(QStringLiteral("text-align:left;padding:2px 4px"));
    connect(rule, &QPushButton::clicked, this, [this, here] { line_->setPicked(here); });
    rules_->addWidget(rule);
  }
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
