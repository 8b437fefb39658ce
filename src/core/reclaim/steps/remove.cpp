// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <set>

#include "core/base/lines.h"
#include "core/reclaim/step_executor.h"
#include "core/reclaim/steps/steps.h"
#include "core/reclaim/steps/with_rights.h"

namespace zt {

namespace {

/// The name of a package as its manager takes it, and nothing that it would take for an option.
bool isPackageName(std::string_view name) {
  return !name.empty() && name.front() != '-' &&
         name.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789+-.:~_") ==
             std::string_view::npos;
}

std::set<std::string> namesIn(std::string_view list) {
  std::set<std::string> all;
  for (std::string_view rest = list; !rest.empty();) {
    const auto end = std::min(rest.find(','), rest.size());
    if (end > 0) all.emplace(rest.substr(0, end));
    rest.remove_prefix(std::min(rest.size(), end + 1));
  }
  return all;
}

std::string joined(const std::set<std::string>& names) {
  std::string all;
  for (const std::string& name : names) all += (all.empty() ? "" : ",") + name;
  return all;
}

std::string lastLine(const std::string& text) {
  std::string last;
  eachLine(text, [&](std::string_view line) {
    if (!line.empty()) last = line;
  });
  return last.substr(0, 300);
}

/// Removes packages by apt, after apt itself has said what would go: nothing else than what was agreed to.
/// Its settings stay with the package's own configuration, so that it can be installed again as it was.
class Remove final : public StepExecutor {
public:
  Result<void> check(StepSite& site, const JournalRecord& record) const override {
    const std::string& name = record.path;
    if (!isPackageName(name)) return fail(Errc::badInput, "remove", record.path, name);
    const auto goes = wouldGo(site, name);
    if (!goes) return tl::unexpected(goes.error());
    if (goes->empty()) return fail(Errc::notThere, "remove", record.path, name);
    std::set<std::string> agreed = namesIn(record.parameters.text("also"));
    agreed.insert(name);
    std::set<std::string> more;
    std::set_difference(goes->begin(), goes->end(), agreed.begin(), agreed.end(),
                        std::inserter(more, more.end()));
    return more.empty() ? Result<void>{} : fail(Errc::unmet, "remove", record.path, "also " + joined(more));
  }
  Result<void> prepare(StepSite& site, JournalRecord& record) const override { return check(site, record); }
  Result<void> apply(StepSite&, JournalRecord&) const override { return {}; }
  Result<void> verify(StepSite& site, JournalRecord& record) const override { return check(site, record); }
  bool finishes() const override { return true; }

  Result<void> finish(StepSite& site, JournalRecord& record) const override {
    const std::string& name = record.path;
    if (!isGone(site, record)) {
      const auto ran = site.drive.live->run({"apt-get", "-q", "-y", "-o", "Dpkg::Use-Pty=0", "-o",
                                             "DPkg::Lock::Timeout=0", "remove", "--", name},
                                            site.drive.alive);
      if (!ran || ran->status != 0) {
        // What it has not removed is as it was; what it has is gone by its own records.
        if (!isGone(site, record)) record.state = ItemState::returned;
        if (!ran) return tl::unexpected(ran.error());
        const bool locked = ran->err.find("Could not get lock") != std::string::npos ||
                            ran->err.find("Unable to acquire") != std::string::npos;
        if (!isGone(site, record))
          return fail(locked ? Errc::busy : Errc::io, "remove", record.path, lastLine(ran->err));
      }
      record.payload = Json{{"log", (ran ? ran->out : std::string()).substr(0, 8000)}}.dump(
          -1, ' ', false, Json::error_handler_t::replace);
    }
    record.freed = record.promised;
    record.state = ItemState::gone;
    return {};
  }
  /// Until its manager was asked to nothing was done.
  Result<void> undo(StepSite&, JournalRecord& record) const override {
    record.state = ItemState::returned;
    return {};
  }
  Result<void> recover(StepSite& site, JournalRecord& record) const override {
    record.state = isGone(site, record) ? ItemState::gone : ItemState::returned;
    return {};
  }

private:
  static bool isGone(StepSite& site, const JournalRecord& record) {
    if (!site.drive.live) return false;
    const auto ran = site.drive.live->run(
        {"dpkg-query", "-W", "-f", "${db:Status-Status}\n", "--", record.path}, site.drive.alive);
    return ran && (ran->status == 1 || ran->out.starts_with("config-files") ||
                   ran->out.starts_with("not-installed"));
  }

  /// What apt would remove, by its own simulation; nothing may be installed instead.
  static Result<std::set<std::string>> wouldGo(StepSite& site, const std::string& name) {
    if (!site.drive.live || !site.drive.context->options.live)
      return fail(Errc::unmet, "remove", {}, "not-live");
    const auto ran = site.drive.live->run({"apt-get", "-q", "-s", "remove", "--", name}, site.drive.alive);
    if (!ran) return tl::unexpected(ran.error());
    if (ran->status != 0) return fail(Errc::io, "remove", {}, lastLine(ran->err));
    std::set<std::string> goes;
    bool comes = false;
    eachLine(ran->out, [&](std::string_view line) {
      comes = comes || line.starts_with("Inst ");
      for (const std::string_view word : {"Remv ", "Purg "})
        if (line.starts_with(word)) {
          const std::string_view rest = line.substr(word.size());
          goes.emplace(rest.substr(0, rest.find_first_of(" :")));
        }
    });
    return comes ? Result<std::set<std::string>>(fail(Errc::unmet, "remove", {}, "others-come")) : goes;
  }
};

}  // namespace

StepKind removeStep() {
  StepKind kind;
  kind.id = "remove";
  kind.label = "remove by its package manager";
  kind.mark = "to remove";
  kind.loss = "goes by its package manager; it can be installed again, which takes time and a connection";
  kind.subjects = {SubjectKind::package};
  kind.gives = GainShare::some;
  kind.liveOnly = true;
  kind.takes = {{"also", ParameterKind::text, false}};
  kind.rights = RightsRule::live;
  kind.executor = withRights(std::make_shared<Remove>());
  return kind;
}

}  // namespace zt
