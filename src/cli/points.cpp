// SPDX-License-Identifier: GPL-3.0-or-later
// points
#include <algorithm>
#include <map>

#include "cli/verbs.h"
#include "core/points/points.h"

namespace zt::cli {

namespace {

using Chosen = GainModel::Points;

/// What it is kept as.
const char* kindOf(const PointModel& model, std::uint32_t i) {
  if (model[i].foreign) return "restore-point";
  return model.seriesOf(i).linked ? "linked-folder" : "snapshot";
}

bool canBeGoneOnIn(const PointModel& model, std::uint32_t i) {
  return !model[i].readOnly && (i < model.kept() || model.seriesOf(i).walked);
}

Json pointJson(const PointModel& model, std::uint32_t i, std::size_t series) {
  const Point& p = model[i];
  Json one{{"id", p.id},
           {"name", escapePath(p.path)},
           {"taken_ns", p.taken},
           {"own_bytes", model.own(i)},
           {"exact", model.exact(model.seriesOf(i))},
           {"kind", kindOf(model, i)},
           {"locked", model.lock(i) != PointLock::none},
           {"reason", name(model.lock(i))},
           {"words", p.words},
           {"received", !p.receivedUuid.empty()},
           {"writable", canBeGoneOnIn(model, i)},
           {"changed", p.changed},
           {"series", series}};
  putPath(one, "path", p.path);
  return one;
}

Json setJson(const PointModel& model, const Chosen& chosen) {
  const PointSum sum = model.of(chosen);
  Json set{{"ids", Json::array()},
           {"frees_bytes", sum.frees},
           {"records_bytes", sum.records},
           {"exact", sum.exact}};
  for (std::uint32_t i = 0; i < model.size(); ++i)
    if (chosen[i]) set["ids"].push_back(model[i].id);
  return set;
}

/// The points that are named, by number or by path. Fails with notThere.
Result<Chosen> named(const PointModel& model, const std::vector<std::string>& items) {
  Chosen chosen(model.size(), false);
  for (const std::string& item : items) {
    bool met = false;
    for (std::uint32_t i = 0; i < model.size(); ++i)
      if (((i < model.kept() || model.seriesOf(i).walked) && std::to_string(model[i].id) == item) ||
          model[i].path == unescapePath(item))
        chosen[i] = met = true;
    if (!met) return fail(Errc::notThere, "points", unescapePath(item));
  }
  return chosen;
}

Result<Chosen> chosenBy(const PointModel& model, const Arguments& args, Bytes capacity, TimeNs now) {
  if (args.edit == "sum") return named(model, args.items);
  std::string text;
  for (const std::string& word : args.items) text += (text.empty() ? "" : " ") + word;
  const auto policy = parsePolicy(text);
  if (!policy) return fail(Errc::badInput, "points", {}, text);
  return pointsToGo(model, *policy, capacity, now);
}

/// Puts them on the plan: each series' find with those of its points alone.
Result<void> planThem(Job& job, const PointModel& model, const Chosen& chosen) {
  Narrowing by;
  by.only.emplace();
  for (std::uint32_t i = 0; i < model.size(); ++i)
    if (chosen[i]) by.only->push_back(model[i].path);
  std::map<std::string, std::vector<std::string>> ids;  // by the step that they offer first
  for (const Find& find : *job.surveys().finds()) {
    const bool named = std::any_of(find.items.begin(), find.items.end(), [&](const Subject& s) {
      const auto state = job.surveys().context()->stateOf(s);
      return state && chosen[*state];
    });
    if (named && !find.offers.empty()) ids[find.offers.front().action].push_back(find.id);
  }
  if (ids.empty()) return fail(Errc::lastCopy, "points", by.only->empty() ? PathBytes{} : by.only->front());
  for (const auto& [step, finds] : ids)
    if (auto added = job.planBook().add(finds, step, by); !added) return added;
  return {};
}

void print(Console& console, const PointModel& model, TimeNs now) {
  for (const PointSeries& series : model.series()) {
    console.out << escapePath(series.place.empty() ? "/" : series.place) << ": " << series.points.size()
                << '\n';
    for (const std::uint32_t i : series.points) {
      const Point& p = model[i];
      console.out << column(model.own(i)) << "  " << p.id << "  " << escapePath(p.path) << ", "
                  << words().ago(p.taken, now);
      if (!p.words.empty()) console.out << ", " << escapePath(p.words);
      if (canBeGoneOnIn(model, i)) console.out << ", " << words().writablePoint(p.changed);
      if (model.lock(i) != PointLock::none)
        console.out << say("; stays: %1", {words().pointLock(model.lock(i))});
      console.out << '\n';
    }
  }
  if (model.empty())
    console.out << say("No snapshots or restore points.") << '\n';
  else if (std::all_of(model.series().begin(), model.series().end(),
                       [&](const auto& s) { return model.exact(s); }))
    console.out << say("The figures say what comes free if that one alone goes; several together give more.")
                << '\n';
  else
    console.out << say("What some of them hold can be told with an administrator's rights only.") << '\n';
}

}  // namespace

int points(Console& console, const Arguments& args) {
  int status = 0;
  const auto job = openJob(console, args, status);
  if (!job) return status;
  if (!job->surveys().survey()) return report(console, Error{Errc::notThere, "survey", {}, 0, {}});
  const FindContext& context = *job->surveys().context();
  const PointModel& model = context.points;
  const TimeNs now = context.survey.finished;
  Json all{{"points", Json::array()}};
  for (std::size_t s = 0; s < model.series().size(); ++s)
    for (const std::uint32_t i : model.series()[s].points) all["points"].push_back(pointJson(model, i, s));
  if (args.edit.empty()) {
    if (args.json)
      cli::print(console, all);
    else
      print(console, model, now);
    return Exit::done;
  }
  const auto chosen = chosenBy(model, args, job->reading().capacity, now);
  if (!chosen) return report(console, chosen.error());
  const PointSum sum = model.of(*chosen);
  const auto count = static_cast<std::uint64_t>(std::count(chosen->begin(), chosen->end(), true));
  if (args.toPlan && count > 0)
    if (auto planned = planThem(*job, model, *chosen); !planned) return report(console, planned.error());
  all["set"] = setJson(model, *chosen);
  if (args.json) {
    cli::print(console, all);
    return Exit::done;
  }
  console.out << (sum.exact
                      ? say("%1 of these would free %2", {words().number(count), words().bytes(sum.frees)})
                      : say("%1 of these would free an unknown amount", {words().number(count)}))
              << '\n';
  if (args.toPlan)
    console.out << (count > 0 ? say("They are on the plan.") : say("Nothing was planned.")) << '\n';
  return Exit::done;
}

}  // namespace zt::cli
