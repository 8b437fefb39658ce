// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/session/session.h"

namespace zt::desktop {

/// What the stations ask of the plan, the targets and the marks of the open job. Each request is one change:
/// all of it or nothing, and a failure is told by `Session::failed`. GUI thread.
class PlanDesk final {
public:
  explicit PlanDesk(Session& session) : session_(session) {}

  void addTarget(const QString& label, const QString& amount);
  void setTargets(std::vector<Target> targets);
  /// An empty action takes each find's usual offer.
  void planFinds(const std::vector<std::string>& ids, const std::string& action, const Narrowing& by = {},
                 const StepParameters& told = {});
  /// Together with the snapshots that hold their bytes.
  void planWithPoints(const std::vector<std::string>& ids);
  void planPaths(const std::vector<PathBytes>& paths, const std::string& action);
  void drop(const std::vector<std::string>& ids);
  void setEnabled(const std::string& id, bool on);
  /// Puts the step that the find of a line offers next in the place of its step; not those that want to be
  /// told something first.
  void nextAction(const std::string& id);
  void split(const std::string& id);
  void undoEdit();
  void redoEdit();
  void moveLine(const std::string& id, int by);
  void mark(const std::vector<PathBytes>& paths, std::optional<Mark> mark);
  void propose(std::optional<Regret> ceiling);
  using Alternative = PlanReading::Alternative;
  /// Works the ways out, and plans none of them.
  void alternatives(std::function<void(std::vector<Alternative>)> then);
  /// One of them becomes the plan.
  void take(const Proposal& proposal);

private:
  void edit(std::function<Result<void>(Job&)> edit);
  Session& session_;
};

}  // namespace zt::desktop
