// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/reminders.h"

#include <algorithm>
#include <array>

#include "core/base/json_reader.h"
#include "core/job/register.h"
#include "core/plan/plan_json.h"

namespace zt {

namespace {

constexpr const char* saidAs = "reminders";
constexpr std::size_t most = 10'000;

std::string machineStart(const Workshop& workshop) {
  return workshop.machine ? workshop.machine->facts().boot : std::string();
}

/// By job; what cannot be read is nothing.
std::vector<std::pair<std::string, Reminder>> noted(const std::string& said) {
  std::vector<std::pair<std::string, Reminder>> all;
  const Json json = parseJson(said);
  JsonReader in(json);
  if (!json.is_object()) return all;
  in.eachOr("reminders", most, [&](JsonReader& r) {
    Reminder reminder;
    reminder.kind = r.choice<ReminderKind>("kind", reminderKinds);
    reminder.drive = r.text("drive");
    reminder.title = r.text("title");
    reminder.job = r.path("job");
    reminder.root = r.path("root");
    reminder.since = r.number<TimeNs>("since_ns");
    reminder.bytes = r.number<Bytes>("bytes");
    reminder.boot = r.text("boot");
    all.emplace_back(r.text("of"), std::move(reminder));
  });
  return in.ok() ? all : std::vector<std::pair<std::string, Reminder>>{};
}

std::string textOf(const std::vector<std::pair<std::string, Reminder>>& all) {
  Json list = Json::array();
  for (const auto& [of, r] : all) {
    Json j{{"of", of},         {"kind", name(r.kind)}, {"drive", r.drive},
           {"title", r.title}, {"since_ns", r.since},  {"bytes", r.bytes},
           {"boot", r.boot}};
    putPath(j, "job", r.job);
    putPath(j, "root", r.root);
    list.push_back(std::move(j));
  }
  return Json{{"reminders", list}}.dump(-1, ' ', false, Json::error_handler_t::replace);
}

}  // namespace

std::string_view name(ReminderKind kind) {
  static constexpr std::array<std::string_view, reminderKinds> names{"restart", "hold", "loan",
                                                                     "second-copy"};
  return names[static_cast<std::size_t>(kind)];
}

bool isPressing(const Reminder& reminder, TimeNs now) {
  constexpr TimeNs week = 7 * nsPerDay;
  const TimeNs grace = reminder.kind == ReminderKind::restart ? 0
                       : reminder.kind == ReminderKind::hold  ? week
                                                              : nsPerDay;
  return now - reminder.since >= grace;
}

std::vector<Reminder> remindersOf(const Workshop& workshop) {
  const std::string boot = machineStart(workshop);
  std::vector<Reminder> all;
  if (!workshop.visits) return all;
  for (auto& [job, reminder] : noted(workshop.visits->said(saidAs)))
    if (reminder.kind != ReminderKind::restart || reminder.boot == boot) all.push_back(std::move(reminder));
  std::stable_sort(all.begin(), all.end(),
                   [](const Reminder& a, const Reminder& b) { return a.since < b.since; });
  return all;
}

Result<void> noteReminders(const Workshop& workshop, const std::string& job, std::vector<Reminder> now) {
  if (!workshop.visits) return {};
  const auto mine = [&](const auto& one) { return one.first == job; };
  const auto before = noted(workshop.visits->said(saidAs));
  if (now.empty() && std::none_of(before.begin(), before.end(), mine)) return {};
  return workshop.visits->amend(saidAs, [&](const std::string& was) -> Result<std::string> {
    auto all = noted(was);
    // What was to be seen to before has been so since then.
    for (Reminder& reminder : now)
      for (const auto& [of, earlier] : all)
        if (of == job && earlier.kind == reminder.kind)
          reminder.since = std::min(reminder.since, earlier.since);
    std::erase_if(all, mine);
    for (const Reminder& reminder : now) all.emplace_back(job, reminder);
    return textOf(all);
  });
}

}  // namespace zt
