// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan_json.h"

#include <absl/strings/escaping.h>

namespace zt {

using Json = nlohmann::json;

void putPath(Json& object, std::string_view key, std::string_view path) {
  const std::string shown = escapePath(path);
  if (shown != path)
    object[std::string(key) + "_b64"] = absl::Base64Escape(absl::string_view(path.data(), path.size()));
  object[std::string(key)] = shown;
}

Result<PathBytes> getPath(const Json& object, const std::string& key) {
  const auto bad = [&] { return fail(Errc::badInput, "plan-file", {}, key); };
  if (const auto exact = object.find(key + "_b64"); exact != object.end()) {
    std::string bytes;
    if (!exact->is_string() || !absl::Base64Unescape(exact->get<std::string>(), &bytes)) return bad();
    return bytes;
  }
  const auto plain = object.find(key);
  if (plain == object.end() || !plain->is_string()) return bad();
  return plain->get<std::string>();
}

Json toJson(const Gain& gain) {
  return {{"sure_bytes", gain.sure}, {"at_most_bytes", gain.atMost}, {"when", name(gain.when)}};
}

Json toJson(const Identity& i) {
  return {{"kind", static_cast<int>(i.kind)}, {"inode", i.inode},        {"length_bytes", i.length},
          {"modified_ns", i.modified},        {"born_mark", i.bornMark}, {"changed_mark", i.changedMark}};
}

namespace {

/// Reads checked numbers and names; the first fault sticks.
class Fields {
public:
  explicit Fields(const Json& json) : json_(json) {}
  template <class T>
  T number(const char* key) {
    const auto at = json_.find(key);
    if (at == json_.end() || !at->is_number_integer() || (std::is_unsigned_v<T> && !at->is_number_unsigned()))
      return wrong(key), T{};
    if constexpr (sizeof(T) < 8)
      if (at->is_number_unsigned() && at->get<std::uint64_t>() > std::numeric_limits<T>::max())
        return wrong(key), T{};
    return at->get<T>();
  }
  std::string text(const char* key) {
    const auto at = json_.find(key);
    if (at == json_.end() || !at->is_string() || at->get_ref<const std::string&>().size() > 4096)
      return wrong(key), std::string{};
    return at->get<std::string>();
  }
  template <class Enum>
  Enum choice(const char* key, int count) {
    const std::string given = text(key);
    for (int i = 0; i < count; ++i)
      if (name(static_cast<Enum>(i)) == given) return static_cast<Enum>(i);
    wrong(key);
    return static_cast<Enum>(0);
  }
  PathBytes path(const char* key) {
    auto p = getPath(json_, key);
    if (!p) return wrong(key), PathBytes{};
    return std::move(*p);
  }
  const Json* array(const char* key, std::size_t most) {
    const auto at = json_.find(key);
    if (at == json_.end() || !at->is_array() || at->size() > most) return wrong(key), nullptr;
    return &*at;
  }
  const Json* object(const char* key) {
    const auto at = json_.find(key);
    if (at == json_.end() || !at->is_object()) return wrong(key), nullptr;
    return &*at;
  }
  void wrong(const char* key) {
    if (fault_.empty()) fault_ = key;
  }
  void adopt(const Fields& inner) {
    if (fault_.empty()) fault_ = inner.fault_;
  }
  const std::string& fault() const { return fault_; }

private:
  const Json& json_;
  std::string fault_;
};

constexpr std::size_t mostLines = 100'000;
constexpr std::size_t mostItems = 1'000'000;

Identity readIdentity(Fields& owner, const Json* json) {
  Identity i;
  if (json == nullptr) return i;
  Fields f(*json);
  const auto kind = f.number<std::uint32_t>("kind");
  if (kind > 3) f.wrong("kind");
  i.kind = static_cast<EntryKind>(kind & 3u);
  i.inode = f.number<std::uint64_t>("inode");
  i.length = f.number<std::uint64_t>("length_bytes");
  i.modified = f.number<std::int64_t>("modified_ns");
  i.bornMark = f.number<std::uint32_t>("born_mark");
  i.changedMark = f.number<std::uint32_t>("changed_mark");
  owner.adopt(f);
  return i;
}

Gain readGain(Fields& owner, const Json* json) {
  Gain g;
  if (json == nullptr) return g;
  Fields f(*json);
  g.sure = f.number<std::uint64_t>("sure_bytes");
  g.atMost = f.number<std::uint64_t>("at_most_bytes");
  g.when = f.choice<GainTime>("when", 4);
  owner.adopt(f);
  return g;
}

PlanLine readLine(Fields& owner, const Json& json, bool hasAction = true) {
  PlanLine line;
  if (!json.is_object()) return owner.wrong("lines"), line;
  Fields f(json);
  line.id = f.text("id");
  line.kind = f.choice<FindKind>("kind", 5);
  if (hasAction) line.action = f.choice<StepAction>("action", 2);
  line.standing = f.choice<Standing>("standing", standings);
  line.regret = f.choice<Regret>("regret", regrets);
  line.gain = readGain(f, f.object("gain"));
  line.place = f.path("place");
  line.band = f.choice<AgeBand>("age", ageBands);
  if (const auto on = json.find("enabled"); on != json.end() && on->is_boolean())
    line.enabled = on->get<bool>();
  if (const Json* items = f.array("items", mostItems))
    for (const Json& item : *items) {
      if (!item.is_object()) {
        f.wrong("items");
        break;
      }
      Fields i(item);
      PlanItem entry;
      entry.path = i.path("path");
      entry.occupied = i.number<std::uint64_t>("occupied_bytes");
      entry.identity = readIdentity(i, i.object("identity"));
      f.adopt(i);
      line.items.push_back(std::move(entry));
    }
  owner.adopt(f);
  return line;
}

template <class Item>
Json itemJson(const Item& item) {
  Json j{{"occupied_bytes", item.occupied}, {"identity", toJson(item.identity)}};
  putPath(j, "path", item.path);
  return j;
}

}  // namespace

Result<Identity> identityFromJson(const Json& json) {
  if (!json.is_object()) return fail(Errc::badInput, "identity");
  Fields f(json);
  const Identity i = readIdentity(f, &json);
  if (!f.fault().empty()) return fail(Errc::badInput, "identity", {}, f.fault());
  return i;
}

Json toJson(const Find& find) {
  Json items = Json::array();
  for (const FindItem& item : find.items) {
    Json j = itemJson(item);
    if (!item.origin.empty()) putPath(j, "origin", item.origin);
    if (!item.deleted.empty()) j["deleted"] = item.deleted;
    items.push_back(std::move(j));
  }
  Json j{{"id", find.id},
         {"kind", name(find.kind)},
         {"standing", name(find.standing)},
         {"regret", name(find.regret)},
         {"gain", toJson(find.gain)},
         {"items", std::move(items)},
         {"age", name(find.band)},
         {"newest_ns", find.newest},
         {"accessed_seconds", find.accessed},
         {"owner", find.owner},
         {"files", find.files},
         {"links_elsewhere", find.linksElsewhere},
         {"left_out", find.leftOut},
         {"place_id", find.placeId}};
  putPath(j, "place", find.place);
  return j;
}

Result<Find> findFromJson(const Json& json) {
  Fields f(json);
  const PlanLine line = readLine(f, json, false);
  Find find;
  find.id = line.id;
  find.kind = line.kind;
  find.standing = line.standing;
  find.regret = line.regret;
  find.gain = line.gain;
  find.place = line.place;
  find.band = line.band;
  for (const auto& item : line.items)
    find.items.push_back({noNode, item.path, item.identity, item.occupied, {}, {}});
  find.newest = f.number<std::int64_t>("newest_ns");
  find.accessed = f.number<std::int64_t>("accessed_seconds");
  find.owner = f.number<std::uint32_t>("owner");
  find.files = f.number<std::uint32_t>("files");
  find.linksElsewhere = f.number<std::uint32_t>("links_elsewhere");
  find.leftOut = f.number<std::uint32_t>("left_out");
  find.placeId = f.text("place_id");
  if (!f.fault().empty() || find.items.empty()) return fail(Errc::corrupt, "finds", {}, f.fault());
  for (std::size_t i = 0; i < find.items.size(); ++i) {
    const Json& item = json["items"][i];
    if (item.contains("origin")) find.items[i].origin = getPath(item, "origin").value_or(PathBytes{});
    if (const auto d = item.find("deleted"); d != item.end() && d->is_string())
      find.items[i].deleted = d->get<std::string>();
  }
  return find;
}

Json toJson(const Plan& plan) {
  Json lines = Json::array();
  for (const PlanLine& line : plan.lines) {
    Json items = Json::array();
    for (const auto& item : line.items) items.push_back(itemJson(item));
    Json j{{"id", line.id},
           {"kind", name(line.kind)},
           {"action", name(line.action)},
           {"standing", name(line.standing)},
           {"regret", name(line.regret)},
           {"gain", toJson(line.gain)},
           {"age", name(line.band)},
           {"enabled", line.enabled},
           {"items", std::move(items)}};
    putPath(j, "place", line.place);
    lines.push_back(std::move(j));
  }
  return {{"format", "zip-tally-plan"}, {"version", 1}, {"lines", std::move(lines)}};
}

Result<Plan> planFromJson(const Json& json) {
  if (!json.is_object() || json.value("format", Json()) != "zip-tally-plan")
    return fail(Errc::notOurs, "plan-file");
  Fields f(json);
  if (f.number<std::uint64_t>("version") != 1)
    return fail(f.fault().empty() ? Errc::tooNew : Errc::badInput, "plan-file");
  Plan plan;
  if (const Json* lines = f.array("lines", mostLines))
    for (const Json& line : *lines) plan.lines.push_back(readLine(f, line));
  if (!f.fault().empty()) return fail(Errc::badInput, "plan-file", {}, f.fault());
  return plan;
}

}  // namespace zt
