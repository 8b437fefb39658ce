// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/plan_desk.h"

#include <QSettings>

namespace zt::desktop {

void PlanDesk::edit(std::function<Result<void>(Job&)> edit) {
  session_.post(Session::Work::editing,
                [edit = std::move(edit)](std::unique_ptr<Job>& job, std::stop_token) -> Result<void> {
                  return job ? edit(*job) : Result<void>{};
                });
}

void PlanDesk::addTarget(const QString& label, const QString& amount) {
  edit([l = label.toStdString(), a = amount.toStdString()](Job& job) {
    return job.planBook().addTarget(l, a);
  });
}

void PlanDesk::setTargets(std::vector<Target> targets) {
  edit([targets = std::move(targets)](Job& job) { return job.planBook().setTargets(targets); });
}

void PlanDesk::planFinds(const std::vector<std::string>& ids, const std::string& action, const Narrowing& by,
                         const StepParameters& told) {
  edit([ids, action, by, told](Job& job) {
    const auto others = job.planBook().checkOtherDrives(action, told);
    return others ? job.planBook().add(ids, action, by, told) : others;
  });
}

void PlanDesk::split(const std::string& id) {
  edit([id](Job& job) { return job.planBook().split(id); });
}

void PlanDesk::undoEdit() {
  edit([](Job& job) { return job.planBook().canUndoEdit() ? job.planBook().undoEdit() : Result<void>{}; });
}

void PlanDesk::redoEdit() {
  edit([](Job& job) { return job.planBook().canRedoEdit() ? job.planBook().redoEdit() : Result<void>{}; });
}

void PlanDesk::planWithPoints(const std::vector<std::string>& ids) {
  edit([ids](Job& job) { return job.planBook().addWithPoints(ids); });
}

void PlanDesk::planPaths(const std::vector<PathBytes>& paths, const std::string& action) {
  edit([paths, action](Job& job) { return job.planBook().addPaths(paths, action); });
}

void PlanDesk::drop(const std::vector<std::string>& ids) {
  edit([ids](Job& job) -> Result<void> {
    std::vector<std::string> there;
    for (const auto& id : ids)
      if (job.planBook().plan().find(id) != nullptr) there.push_back(id);
    return there.empty() ? Result<void>{} : job.planBook().drop(there);
  });
}

void PlanDesk::setEnabled(const std::string& id, bool on) {
  edit([id, on](Job& job) {
    return job.planBook().edit([&](Plan& plan) {
      if (auto* line = plan.find(id)) line->enabled = on;
    });
  });
}

void PlanDesk::nextAction(const std::string& id) {
  edit([id, craft = session_.workshop().craft](Job& job) -> Result<void> {
    const PlanLine* line = job.planBook().plan().find(id);
    const Find* find = job.surveys().find(id);
    if (line == nullptr || find == nullptr) return {};
    std::vector<std::string> ways;
    for (const Offer& offer : find->offers) {
      const StepPtr step = craft->steps.find(offer.action);
      const bool asks = step == nullptr || std::any_of(step->takes.begin(), step->takes.end(),
                                                       [](const auto& spec) { return spec.needed; });
      if (!asks) ways.push_back(offer.action);
    }
    if (ways.empty()) return {};
    const auto now = std::find(ways.begin(), ways.end(), line->step->id);
    const bool last = now == ways.end() || now + 1 == ways.end();
    return job.planBook().add({id}, last ? ways.front() : *(now + 1));
  });
}

void PlanDesk::moveLine(const std::string& id, int by) {
  edit([id, by](Job& job) {
    return job.planBook().edit([&](Plan& plan) {
      const auto at =
          std::find_if(plan.lines.begin(), plan.lines.end(), [&](const auto& l) { return l.id == id; });
      if (at == plan.lines.end()) return;
      const auto to = (at - plan.lines.begin()) + by;
      if (to >= 0 && to < std::ssize(plan.lines)) std::iter_swap(at, plan.lines.begin() + to);
    });
  });
}

void PlanDesk::mark(const std::vector<PathBytes>& paths, std::optional<Mark> mark) {
  edit([paths, mark](Job& job) { return job.planBook().mark(paths, mark); });
}

void PlanDesk::propose(std::optional<Regret> ceiling) {
  auto found = std::make_shared<std::optional<Proposal>>();
  session_.post(
      Session::Work::proposing,
      [ceiling, found](std::unique_ptr<Job>& job, std::stop_token) -> Result<void> {
        if (!job) return {};
        ProposeOptions options;
        options.ceiling = ceiling;
        auto proposal = job->planBook().propose(options);
        if (!proposal) return tl::unexpected(proposal.error());
        *found = *proposal;
        return job->planBook().set(proposal->plan);
      },
      [session = &session_, found] { session->showProposal(*found); });
}

void PlanDesk::alternatives(std::function<void(std::vector<Alternative>)> then) {
  auto found = std::make_shared<std::vector<Alternative>>();
  session_.post(
      Session::Work::proposing,
      [found](std::unique_ptr<Job>& job, std::stop_token) -> Result<void> {
        if (!job) return {};
        auto all = job->planBook().alternatives({});
        if (!all) return tl::unexpected(all.error());
        *found = std::move(*all);
        return {};
      },
      [found, then = std::move(then)] { then(std::move(*found)); });
}

void PlanDesk::take(const Proposal& proposal) {
  session_.post(
      Session::Work::proposing,
      [proposal](std::unique_ptr<Job>& job, std::stop_token) -> Result<void> {
        return job ? job->planBook().set(proposal.plan) : Result<void>{};
      },
      [session = &session_, proposal] { session->showProposal(proposal); });
}

}  // namespace zt::desktop
