// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/told_record.h"

#include "core/plan/plan_json.h"

namespace zt {

namespace {
constexpr std::size_t longest = std::size_t{64} * 1024;
}

Json toTold(const JournalRecord& r) {
  Json j{{"run", r.run},
         {"seq", r.seq},
         {"line", r.line},
         {"action", r.action},
         {"identity", toJson(r.identity)},
         {"state", name(r.state)},
         {"occupied", r.occupied},
         {"freed_sure", r.freed.sure},
         {"freed_most", r.freed.atMost},
         {"promised_sure", r.promised.sure},
         {"promised_most", r.promised.atMost},
         {"links_remain", r.linksRemain},
         {"detail", escapePath(r.detail)},
         {"device", r.device},
         {"payload", escapePath(r.payload)},
         {"parameters", toJson(r.parameters)}};
  putPath(j, "path", r.path);
  putPath(j, "hold_folder", r.holdFolder);
  putPath(j, "put_at", r.putAt);
  if (r.problem) j["problem"] = name(*r.problem);
  return j;
}

Result<JournalRecord> recordFromTold(const Json& told) {
  JsonReader in(told);
  JournalRecord r;
  r.run = in.number<std::int64_t>("run");
  r.seq = in.number<std::int64_t>("seq");
  r.line = in.text("line");
  r.action = in.text("action");
  in.object("identity", [&](JsonReader& identity) { r.identity = readIdentity(identity); });
  r.state = in.choice<ItemState>("state", itemStates);
  r.occupied = in.number<Bytes>("occupied");
  r.freed.sure = in.number<Bytes>("freed_sure");
  r.freed.atMost = in.number<Bytes>("freed_most");
  r.promised.sure = in.number<Bytes>("promised_sure");
  r.promised.atMost = in.number<Bytes>("promised_most");
  r.linksRemain = in.number<Bytes>("links_remain");
  r.detail = unescapePath(in.text("detail", longest));
  r.device = in.number<std::uint64_t>("device");
  r.payload = unescapePath(in.text("payload", longest));
  r.parameters = readParameters(in, "parameters");
  r.path = in.path("path");
  r.holdFolder = in.path("hold_folder");
  r.putAt = in.path("put_at");
  if (in.has("problem")) r.problem = in.choice<Errc>("problem", errorCodes);
  if (!in.ok()) return fail(Errc::corrupt, "record", {}, in.fault());
  return r;
}

}  // namespace zt
