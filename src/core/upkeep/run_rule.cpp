// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/upkeep/run_rule.h"

#include <algorithm>

#include "core/os/paths.h"
#include "core/query/answer.h"

namespace zt {

namespace {

constexpr std::size_t usualFrom = 3;  ///< runs that tell what is usual
constexpr Bytes timesUsual = 10;

/// The median of what it took; 0 where too few runs tell.
Bytes usualOf(const UpkeepRule& rule) {
  std::vector<Bytes> taken;
  for (const UpkeepRan& ran : rule.ran)
    if (ran.end == UpkeepEnd::done || ran.end == UpkeepEnd::partly) taken.push_back(ran.planned);
  if (taken.size() < usualFrom) return 0;
  std::sort(taken.begin(), taken.end());
  return taken[taken.size() / 2];
}

class RuleRun {
public:
  RuleRun(const Workshop& workshop, const UpkeepRule& rule, const UpkeepOptions& options)
      : workshop_(workshop), rule_(rule), options_(options) {
    outcome_.ran.when = workshop.clock->now();
    outcome_.ran.job = options.jobFile;
  }

  Result<UpkeepOutcome> run() {
    const auto real = canonicalPath(rule_.on);
    if (!real || *real != rule_.on) return end(UpkeepEnd::placeChanged);
    auto job = Job::create(workshop_, rule_.on, false, {options_.jobFile, true});
    if (!job) return failed(job.error());
    job_ = std::move(*job);
    if (!rule_.drive.empty() && job_->site().drive().id != rule_.drive) return end(UpkeepEnd::placeChanged);
    if (auto measured = job_->measurer().measure({}, options_.stop, nullptr); !measured)
      return failed(measured.error());
    return plan();
  }

private:
  UpkeepOutcome end(UpkeepEnd how) {
    outcome_.ran.end = how;
    return std::move(outcome_);
  }
  UpkeepOutcome failed(const Error& why) {
    outcome_.ran.why = std::string(name(why.code));
    return end(UpkeepEnd::failed);
  }

  /// Nothing unjudged, nothing that is kept; what is personal or arrived only where somebody wrote it out.
  bool mayGo(const Find& find) const {
    const bool spent = find.standing == Standing::spent || find.standing == Standing::rebuilds;
    if (rule_.personal) return spent || find.standing == Standing::ownersCall;
    return spent && find.kind != "arrivals";
  }

  /// The top of what is measured, a home, or all homes: by its path on the running system, and from the top
  /// of its drive, whichever folder is measured.
  bool isWholeHome(const Subject& item) const {
    if (item.kind != SubjectKind::entry) return false;
    if (item.path.empty()) return true;
    const Survey& survey = *job_->surveys().survey();
    const std::string_view root = survey.root, top = survey.mountTarget;
    const std::string_view below = root.starts_with(top) ? root.substr(top.size()) : root;
    return isHome(joinPath(root, item.path)) || isHome(joinPath(below, item.path));
  }
  static bool isHome(const PathBytes& path) {
    auto names = splitPath(path);
    std::erase(names, std::string_view());
    if (names.empty()) return true;
    if (names[0] == "root") return names.size() == 1;
    return (names[0] == "home" || names[0] == "Users") && names.size() <= 2;
  }

  Result<UpkeepOutcome> plan() {
    if (needsCap(*workshop_.craft, rule_) && rule_.capTo == 0)
      return failed({Errc::badInput, "upkeep", {}, 0, "cap"});
    const FindContext& context = *job_->surveys().context();
    const auto question = parseQuestion(rule_.question, questionWords(context, findKinds(*workshop_.craft)));
    if (!question) return failed(question.error());
    const FindMatcher matcher(context, *question);
    std::vector<std::string> ids;
    std::vector<const Find*> finds;
    for (const Find& find : *job_->surveys().finds()) {
      const bool offered = std::any_of(find.offers.begin(), find.offers.end(),
                                       [&](const Offer& o) { return o.action == rule_.action; });
      if (!offered || !mayGo(find) || !matcher.fits(find)) continue;
      if (std::any_of(find.items.begin(), find.items.end(), [&](const Subject& s) { return isWholeHome(s); }))
        return end(UpkeepEnd::wholeHome);
      ids.push_back(find.id);
      finds.push_back(&find);
    }
    if (ids.empty()) return end(UpkeepEnd::nothing);
    Narrowing by;
    if (rule_.olderDays > 0) by.before = workshop_.clock->now() - rule_.olderDays * nsPerDay;
    by.newestStay = rule_.newestStay;
    StepParameters told;
    if (needsCap(*workshop_.craft, rule_))
      told.set("bytes", rule_.capTo);
    else if (rule_.capTo > 0)
      by.only = beyondCap(finds, by);
    if (by.only && by.only->empty()) return end(UpkeepEnd::nothing);
    const auto added = job_->planBook().add(ids, rule_.action, by, told);
    if (!added) return added.error().code == Errc::notThere ? end(UpkeepEnd::nothing) : failed(added.error());
    return carryOut();
  }

  /// The oldest things that have to go so that no more than the cap stays.
  std::vector<PathBytes> beyondCap(const std::vector<const Find*>& finds, const Narrowing& by) const {
    const FindContext& context = *job_->surveys().context();
    std::vector<const Subject*> all;
    Bytes bytes = 0;
    for (const Find* find : finds)
      for (const Subject& item : find->items) all.push_back(&item), bytes += item.occupied;
    std::stable_sort(all.begin(), all.end(), [&](const Subject* a, const Subject* b) {
      return timeOf(*a, context.tree) < timeOf(*b, context.tree);
    });
    std::vector<PathBytes> go;
    for (const Subject* item : all) {
      if (bytes <= rule_.capTo) break;
      if (by.before != 0 && timeOf(*item, context.tree) >= by.before) break;
      go.push_back(item->path);
      bytes -= std::min(bytes, item->occupied);
    }
    return go;
  }

  Result<UpkeepOutcome> carryOut() {
    for (const PlanLine& line : job_->planBook().plan().lines)
      outcome_.things.insert(outcome_.things.end(), line.items.begin(), line.items.end());
    std::stable_sort(outcome_.things.begin(), outcome_.things.end(),
                     [](const Subject& a, const Subject& b) { return a.occupied > b.occupied; });
    outcome_.ran.things = outcome_.things.size();
    const PlannedGain planned = job_->planBook().planned();
    outcome_.ran.planned = std::max(planned.sure, planned.atMost);
    if (outcome_.ran.planned > rule_.mostBytes || outcome_.ran.things > rule_.mostThings)
      return end(UpkeepEnd::tooMuch);
    if (const Bytes usual = usualOf(rule_); usual > 0 && outcome_.ran.planned > usual * timesUsual)
      return end(UpkeepEnd::unusual);
    if (options_.dry) return rehearse();
    RunControl control;
    control.stop = options_.stop;
    const auto report = job_->reclaim(job_->consent().token, control);
    if (!report) return report.error().code == Errc::busy ? end(UpkeepEnd::busy) : failed(report.error());
    bool all = !report->stopped;
    for (const LineOutcome& line : report->lines) {
      all = all && line.itemsDone == line.items;
      outcome_.ran.gained += line.rose;
    }
    if (const auto proof = job_->prove()) outcome_.ran.gained = proof->actual;
    outcome_.things.clear();
    return end(all ? UpkeepEnd::done : UpkeepEnd::partly);
  }

  Result<UpkeepOutcome> rehearse() {
    const auto checked = job_->rehearse();
    if (!checked) return failed(checked.error());
    const bool clear = std::none_of(checked->begin(), checked->end(),
                                    [](const JournalRecord& r) { return r.state == ItemState::refused; });
    return end(clear ? UpkeepEnd::done : UpkeepEnd::partly);
  }

  const Workshop& workshop_;
  const UpkeepRule& rule_;
  const UpkeepOptions& options_;
  std::unique_ptr<Job> job_;
  UpkeepOutcome outcome_;
};

constexpr const char* saidAs = "upkeep";

}  // namespace

Result<UpkeepOutcome> runRule(const Workshop& workshop, const UpkeepRule& rule,
                              const UpkeepOptions& options) {
  return RuleRun(workshop, rule, options).run();
}

bool needsCap(const Craft& craft, const UpkeepRule& rule) {
  const StepPtr step = craft.steps.find(rule.action);
  return step != nullptr && std::any_of(step->takes.begin(), step->takes.end(),
                                        [](const ParameterSpec& p) { return p.id == "bytes"; });
}

namespace {
Result<std::vector<UpkeepRule>> rulesIn(const std::string& said) {
  return said.empty() ? std::vector<UpkeepRule>{} : rulesFrom(parseJson(said));
}
}  // namespace

Result<std::vector<UpkeepRule>> rulesOf(Register& visits) {
  return rulesIn(visits.said(saidAs));
}

Result<void> changeRules(Register& visits,
                         const std::function<Result<void>(std::vector<UpkeepRule>&)>& change) {
  return visits.amend(saidAs, [&](const std::string& was) -> Result<std::string> {
    auto rules = rulesIn(was);
    if (!rules) return tl::unexpected(rules.error());
    if (auto changed = change(*rules); !changed) return tl::unexpected(changed.error());
    return toJson(*rules).dump(-1, ' ', false, Json::error_handler_t::replace);
  });
}

Result<std::string> keepRule(Register& visits, UpkeepRule rule) {
  const auto kept = changeRules(visits, [&](std::vector<UpkeepRule>& all) -> Result<void> {
    const auto of = [&](const std::string& id) {
      return std::find_if(all.begin(), all.end(), [&](const UpkeepRule& r) { return r.id == id; });
    };
    if (!rule.id.empty()) {
      const auto there = of(rule.id);
      if (there == all.end()) return fail(Errc::notThere, "upkeep", rule.id);
      rule.ran = there->ran;
      *there = rule;
      return {};
    }
    for (int i = 1; rule.id.empty(); ++i)
      if (of("r" + std::to_string(i)) == all.end()) rule.id = "r" + std::to_string(i);
    all.push_back(rule);
    return {};
  });
  if (!kept) return tl::unexpected(kept.error());
  return rule.id;
}

}  // namespace zt
