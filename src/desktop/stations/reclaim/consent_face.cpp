// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/reclaim/consent_face.h"

#include <QtWidgets>

#include "desktop/style/language.h"
#include "desktop/style/look.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

namespace {

constexpr std::size_t mostLines = 60;  ///< written out of one group; the rest is counted

QString titleOf(const JobView& view, const PlanLine& line) {
  if (const Find* find = view.finds->find(line.id)) return say(&Words::findTitle, *find);
  return line.items.empty() ? QString::fromStdString(line.id) : say(&Words::path, line.items[0].path);
}

const Consent::Line* consentOf(const JobView& view, const PlanLine& line) {
  for (const Consent::Line& asked : view.consent.lines)
    if (asked.id == line.id) return &asked;
  return nullptr;
}

/// Something nobody can bring back, or nobody has looked at, goes with a line.
bool isDear(const PlanLine& line, const Consent::Line* asked) {
  return line.regret() >= Regret::personalGone ||
         (asked != nullptr && (asked->lost.lastCopies > 0 || asked->lost.unjudged > 0));
}

QString count(std::size_t lines) {
  return counted(lines, "1 line", "%1 lines");
}

}  // namespace

ConsentFace::ConsentFace(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("consents"));
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(0, 0, 0, 0);
  auto* area = new QScrollArea(this);
  area->setFrameShape(QFrame::NoFrame);
  area->setWidgetResizable(true);
  area->setFocusPolicy(Qt::NoFocus);
  area->viewport()->setAutoFillBackground(false);
  body_ = new QWidget(area);
  body_->setAutoFillBackground(false);
  rows_ = new QVBoxLayout(body_);
  rows_->setContentsMargins(0, 4, 8, 4);
  rows_->setSpacing(4);
  area->setWidget(body_);
  outer->addWidget(area);
}

void ConsentFace::show(const JobView& view) {
  Shown now{view.consent.token, {}, {}, only_, face().dark};
  for (const PlanLine& line : view.plan.lines) now.enabled.push_back(line.enabled);
  for (const GainBounds& adds : view.adds) now.sure.push_back(adds.sure);
  if (now == shown_) return;
  // Ticks are of one consent: with the same they stay, however it is drawn.
  std::set<Regret> kept;
  for (const Group& g : groups_)
    if (now.token == shown_.token && g.asks && g.tick->isChecked()) kept.insert(g.regret);
  shown_ = std::move(now);
  build(view);
  for (const Group& g : groups_)
    if (g.asks && kept.contains(g.regret)) g.tick->setChecked(true);
  Q_EMIT ticked();
}

void ConsentFace::build(const JobView& view) {
  while (QLayoutItem* item = rows_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  groups_.clear();
  ids_.clear();
  others_.clear();
  const auto isOther = [&](const PlanLine& line) { return !only_.empty() && !only_.contains(line.id); };
  for (const PlanLine& line : view.plan.lines)
    if (line.enabled && line.step->touches && isOther(line)) others_.insert(line.id);
  for (const bool asks : {true, false})
    for (std::size_t r = 0; r < static_cast<std::size_t>(regrets); ++r) {
      Group group;
      group.regret = static_cast<Regret>(r);
      group.asks = asks;
      for (std::size_t i = 0; i < view.plan.lines.size(); ++i) {
        const PlanLine& line = view.plan.lines[i];
        const bool asked = line.step->consent == ConsentRule::asked;
        if (!line.enabled || !line.step->touches || isOther(line) || asked != asks ||
            (asks && line.regret() != group.regret))
          continue;
        group.lines.push_back(i);
        group.bytes += asks ? view.adds[i].sure : line.gain.atMost;
        group.things += line.items.size();
        group.dear = group.dear || (asks && isDear(line, consentOf(view, line)));
      }
      if (!group.lines.empty()) groups_.push_back(std::move(group));
      if (!asks) break;  // what is set aside is one group
    }
  for (Group& group : groups_) {
    addGroup(view, group);
    auto& ids = ids_.emplace_back();
    for (const std::size_t i : group.lines) ids.push_back(view.plan.lines[i].id);
    if (group.dear) addLines(view, group);
  }
  addOrder(view);
  rows_->addStretch();
  QWidget* last = nullptr;
  for (const Group& group : groups_) {
    if (group.tick == nullptr) continue;
    if (last != nullptr) setTabOrder(last, group.tick);
    last = group.tick;
  }
  if (last != nullptr && next_ != nullptr) setTabOrder(last, next_);
}

QLabel* ConsentFace::text(const QString& said, bool strong, bool red, bool quiet) {
  auto* label = new QLabel(said, body_);
  label->setTextFormat(Qt::PlainText);
  label->setWordWrap(true);
  label->setFont(typeface(strong ? Type::strong : Type::body));
  QPalette p = label->palette();
  p.setColor(QPalette::WindowText, red ? face().red : quiet ? face().secondInk : face().ink);
  label->setPalette(p);
  return label;
}

void ConsentFace::addGroup(const JobView& view, Group& group) {
  auto* row = new QWidget(body_);
  auto* grid = new QHBoxLayout(row);
  grid->setContentsMargins(0, 3, 0, 3);
  const QString title = group.asks ? say(&Words::regret, group.regret) : tr("set aside");
  const bool red = group.regret == Regret::personalGone && group.asks;
  if (group.asks) {
    group.tick = new QCheckBox(title, row);
    group.tick->setObjectName(QStringLiteral("agree-") + QString::fromUtf8(name(group.regret).data()));
    group.tick->setFont(typeface(Type::strong));
    group.tick->setProperty("word", QStringLiteral("consent"));
    QPalette p = group.tick->palette();
    p.setColor(QPalette::WindowText, red ? face().red : face().ink);
    group.tick->setPalette(p);
    group.tick->setMinimumWidth(200);
    connect(group.tick, &QCheckBox::toggled, this, &ConsentFace::ticked);
    grid->addWidget(group.tick);
  } else {
    auto* label = text(title, true, false, false);
    label->setMinimumWidth(200);
    label->setWordWrap(false);
    grid->addWidget(label);
  }
  QStringList titles;
  for (const std::size_t i : group.lines)
    if (titles.size() < 3) titles.append(titleOf(view, view.plan.lines[i]));
  const QString rest = group.lines.size() > 3 ? tr(" and more") : QString();
  const QString what = group.dear ? tr("%1, each to be read").arg(count(group.lines.size()))
                                  : tr("%1, %2: %3%4")
                                        .arg(count(group.lines.size()), say(&Words::things, group.things),
                                             titles.join(QStringLiteral("; ")), rest);
  grid->addWidget(text(group.asks ? what : what + tr("; can be put back"), false, false, true), 1);
  auto* amount = text(say(&Words::bytes, group.bytes), true, false, false);
  amount->setToolTip(say(&Words::exact, group.bytes));
  amount->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  amount->setWordWrap(false);
  grid->addWidget(amount);
  rows_->addWidget(row);
  auto* rule = new QFrame(body_);
  rule->setFixedHeight(1);
  rule->setAutoFillBackground(true);
  QPalette p = rule->palette();
  p.setColor(QPalette::Window, face().rule);
  rule->setPalette(p);
  rows_->addWidget(rule);
}

void ConsentFace::addLines(const JobView& view, const Group& group) {
  std::size_t written = 0;
  for (const std::size_t i : group.lines) {
    if (written++ == mostLines) break;
    const PlanLine& line = view.plan.lines[i];
    const Consent::Line* asked = consentOf(view, line);
    auto* row = new QWidget(body_);
    auto* grid = new QGridLayout(row);
    grid->setContentsMargins(28, 2, 0, 2);
    grid->setVerticalSpacing(0);
    grid->addWidget(text(titleOf(view, line), true, false, false), 0, 0);
    auto* amount = text(say(&Words::bytes, view.adds[i].sure), false, false, false);
    amount->setAlignment(Qt::AlignRight);
    amount->setWordWrap(false);
    grid->addWidget(amount, 0, 1);
    const QString lost = asked != nullptr ? say(&Words::losses, asked->lost) : QString();
    const QString loss = say(&Words::loss, line.step.get(), line.regret());
    grid->addWidget(
        text(lost.isEmpty() ? loss : loss + QStringLiteral(": ") + lost, false, isDear(line, asked), true), 1,
        0, 1, 2);
    grid->setColumnStretch(0, 1);
    rows_->addWidget(row);
  }
  if (group.lines.size() > mostLines)
    rows_->addWidget(
        text(tr("and %1 on the plan").arg(count(group.lines.size() - mostLines)), false, false, true));
}

/// The order of the run, in a few lines, and where each goes to: steps of one kind that follow each other and
/// are told the same are one.
void ConsentFace::addOrder(const JobView& view) {
  struct Turn {
    const PlanLine* first = nullptr;
    std::size_t lines = 0;
    Bytes bytes = 0;
  };
  std::vector<Turn> turns;
  for (std::size_t i = 0; i < view.plan.lines.size(); ++i) {
    const PlanLine& line = view.plan.lines[i];
    if (!line.enabled || !line.step->touches || others_.contains(line.id)) continue;
    const bool same = !turns.empty() && turns.back().first->step == line.step &&
                      turns.back().first->parameters == line.parameters &&
                      (turns.back().first->kind == "trash") == (line.kind == "trash");
    if (!same) turns.push_back({&line, 0, 0});
    ++turns.back().lines;
    turns.back().bytes += view.adds[i].sure;
  }
  const bool plain =
      std::all_of(turns.begin(), turns.end(), [](const Turn& t) { return t.first->parameters.empty(); });
  if (turns.size() < 2 && plain) return;
  rows_->addSpacing(10);
  rows_->addWidget(text(tr("In this order"), true, false, false));
  constexpr std::size_t most = 6;
  for (std::size_t i = 0; i < std::min(most, turns.size()); ++i) {
    const Turn& turn = turns[i];
    QString said = tr("%1   %2: %3, %4")
                       .arg(i + 1)
                       .arg(say(&Words::step, *turn.first->step), titleOf(view, *turn.first),
                            say(&Words::bytes, turn.bytes));
    if (turn.lines > 1)
      said =
          tr("%1   %2: %3, %4")
              .arg(i + 1)
              .arg(say(&Words::step, *turn.first->step), count(turn.lines), say(&Words::bytes, turn.bytes));
    if (!turn.first->parameters.empty())
      said += QStringLiteral("; ") + say(&Words::told, turn.first->parameters);
    if (turn.first->step->afterCleaning) said += tr("; the bytes come when the file system has cleaned up");
    rows_->addWidget(text(said, false, false, false));
  }
  if (turns.size() > most) rows_->addWidget(text(tr("and so on, as on the plan"), false, false, true));
}

std::set<std::string> ConsentFace::waiting() const {
  std::set<std::string> all = others_;
  for (std::size_t g = 0; g < groups_.size(); ++g)
    if (groups_[g].asks && !groups_[g].tick->isChecked()) all.insert(ids_[g].begin(), ids_[g].end());
  return all;
}

int ConsentFace::groupsWaiting() const {
  return static_cast<int>(std::count_if(groups_.begin(), groups_.end(),
                                        [](const Group& g) { return g.asks && !g.tick->isChecked(); }));
}

bool ConsentFace::anyAgreed() const {
  const auto asks = [](const Group& g) { return g.asks; };
  if (std::none_of(groups_.begin(), groups_.end(), asks)) return !groups_.empty();
  return std::any_of(groups_.begin(), groups_.end(),
                     [](const Group& g) { return g.asks && g.tick->isChecked(); });
}

QWidget* ConsentFace::first() const {
  for (const Group& g : groups_)
    if (g.tick != nullptr && !g.tick->isChecked()) return g.tick;
  return nullptr;
}

void ConsentFace::clearTicks() {
  for (const Group& g : groups_)
    if (g.asks) g.tick->setChecked(false);
}

}  // namespace zt::desktop
