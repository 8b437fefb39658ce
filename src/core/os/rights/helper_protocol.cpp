// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/rights/helper_protocol.h"

#include <algorithm>

#include "core/base/json_reader.h"

namespace zt::helper {

namespace {

/// Reads a list of whole numbers; anything else makes it fail.
class NumberList {
public:
  /// `json` must outlive it.
  NumberList(const Json& json, std::size_t size) : json_(json), ok_(json.is_array() && json.size() == size) {}
  template <class T>
  void get(T& into) {
    if (!ok_ || at_ >= json_.size()) return void(ok_ = false);
    const Json& j = json_[at_++];
    if constexpr (std::is_signed_v<T>) {
      ok_ = ok_ && j.is_number_integer() && (!j.is_number_unsigned() || j.get<std::uint64_t>() <= INT64_MAX);
      if (ok_) into = static_cast<T>(j.get<std::int64_t>());
    } else {
      ok_ = ok_ && j.is_number_unsigned() && j.get<std::uint64_t>() <= std::numeric_limits<T>::max();
      if (ok_) into = static_cast<T>(j.get<std::uint64_t>());
    }
  }
  bool ok() const { return ok_; }

private:
  const Json& json_;
  std::size_t at_ = 0;
  bool ok_;
};

std::string textOf(const Json& json, const char* key, std::size_t most) {
  const auto at = json.find(key);
  if (at == json.end() || !at->is_string()) return {};
  std::string text = at->get<std::string>();
  return text.size() <= most ? text : std::string{};
}

}  // namespace

Json toJson(const EntryStat& s) {
  return Json::array({static_cast<unsigned>(s.kind), s.mode, s.inode, s.device, s.mountId, s.links, s.owner,
                      s.length, s.occupied, s.modified, s.accessed, s.changed, s.born});
}

std::optional<EntryStat> statFrom(const Json& json) {
  NumberList in(json, 13);
  EntryStat s;
  std::uint8_t kind = 0;
  in.get(kind);
  in.get(s.mode);
  for (std::uint64_t* n : {&s.inode, &s.device, &s.mountId}) in.get(*n);
  in.get(s.links);
  in.get(s.owner);
  in.get(s.length);
  in.get(s.occupied);
  for (TimeNs* t : {&s.modified, &s.accessed, &s.changed, &s.born}) in.get(*t);
  if (!in.ok() || kind > static_cast<std::uint8_t>(EntryKind::other)) return std::nullopt;
  s.kind = static_cast<EntryKind>(kind);
  return s;
}

Json toJson(const OpenFile& f) {
  return {{"pid", f.pid},     {"holder", escapePath(f.holder)}, {"device", f.device},
          {"inode", f.inode}, {"deleted", f.deleted},           {"occupied_bytes", f.occupied}};
}

std::optional<OpenFile> openFileFrom(const Json& json) {
  if (!json.is_object()) return std::nullopt;
  OpenFile f;
  const Json numbers = Json::array({json.value("pid", Json()), json.value("device", Json()),
                                    json.value("inode", Json()), json.value("occupied_bytes", Json())});
  NumberList in(numbers, 4);
  in.get(f.pid);
  in.get(f.device);
  in.get(f.inode);
  in.get(f.occupied);
  if (!in.ok()) return std::nullopt;
  f.holder = unescapePath(textOf(json, "holder", 4096));
  f.deleted = json.value("deleted", Json()) == true;
  return f;
}

Json toJson(const Overhead& o) {
  Json parts = Json::array();
  for (const auto& part : o.parts) parts.push_back({{"id", part.id}, {"bytes", part.bytes}});
  return {{"known", o.known}, {"parts", std::move(parts)}, {"device_bytes", o.deviceBytes}};
}

std::optional<Overhead> overheadFrom(const Json& json) {
  if (!json.is_object()) return std::nullopt;
  Overhead o;
  o.known = json.value("known", Json()) == true;
  const Json parts = json.value("parts", Json());
  if (!parts.is_array() || parts.size() > 64) return std::nullopt;
  for (const Json& p : parts) {
    if (!p.is_object() || !p.value("bytes", Json()).is_number_unsigned()) return std::nullopt;
    o.parts.push_back({textOf(p, "id", 64), p["bytes"].get<Bytes>()});
  }
  if (const Json device = json.value("device_bytes", Json()); device.is_number_unsigned())
    o.deviceBytes = device.get<Bytes>();
  return o;
}

Json toJson(const SpaceUsage& u) {
  return Json::array({u.capacity, u.free, u.available, u.inodes, u.inodesFree, unsigned{u.readOnly},
                      unsigned{u.rise.refill.has_value()}, u.rise.refill.value_or(0), u.block,
                      unsigned{u.holesGive}});
}

std::optional<SpaceUsage> usageFrom(const Json& json) {
  NumberList in(json, 10);
  SpaceUsage u;
  std::uint8_t readOnly = 0;
  std::uint8_t holesGive = 0;
  std::uint8_t known = 0;
  Bytes refill = 0;
  for (std::uint64_t* n : {&u.capacity, &u.free, &u.available, &u.inodes, &u.inodesFree}) in.get(*n);
  in.get(readOnly);
  in.get(known);
  in.get(refill);
  in.get(u.block);
  in.get(holesGive);
  u.holesGive = holesGive != 0;
  u.readOnly = readOnly != 0;
  u.rise.refill = known != 0 ? std::optional(refill) : std::nullopt;
  return in.ok() ? std::optional(u) : std::nullopt;
}

Json toJson(const DropOrder& order) {
  Json points = Json::array();
  for (const auto& [id, made] : order.points) points.push_back(Json::array({id, made}));
  return {{"consent", order.consent}, {"points", std::move(points)}, {"digest", order.digest()}};
}

std::optional<DropOrder> dropOrderFrom(const Json& json) {
  if (!json.is_object()) return std::nullopt;
  DropOrder order;
  order.consent = textOf(json, "consent", 32);
  const Json points = json.value("points", Json());
  if (order.consent.size() != 32 || !points.is_array() || points.empty() || points.size() > mostDrops)
    return std::nullopt;
  for (const Json& row : points) {
    NumberList in(row, 2);
    auto& [id, made] = order.points.emplace_back();
    in.get(id);
    in.get(made);
    if (!in.ok()) return std::nullopt;
  }
  if (textOf(json, "digest", 32) != order.digest()) return std::nullopt;
  return order;
}

Json thingsOf(const RightsOrder& order, std::size_t from, std::size_t count) {
  Json things = Json::array();
  for (std::size_t i = from; i < std::min(from + count, order.things.size()); ++i)
    things.push_back({order.things[i].action, escapePath(order.things[i].path), order.things[i].told});
  return things;
}

Json toJson(const RightsOrder& order) {
  return {{"consent", order.consent},
          {"things", thingsOf(order, 0, order.things.size())},
          {"digest", order.digest()}};
}

bool takeThings(RightsOrder& order, const Json& things, std::size_t most) {
  if (!things.is_array() || things.size() > most - std::min(order.things.size(), most)) return false;
  for (const Json& row : things) {
    const bool texts = row.is_array() && row.size() == 3 &&
                       std::all_of(row.begin(), row.end(), [](const Json& t) { return t.is_string(); });
    if (!texts) return false;
    order.things.push_back(
        {row[0].get<std::string>(), unescapePath(row[1].get<std::string>()), row[2].get<std::string>()});
  }
  return true;
}

std::optional<RightsOrder> rightsOrderFrom(const Json& json) {
  if (!json.is_object()) return std::nullopt;
  RightsOrder order;
  order.consent = textOf(json, "consent", 32);
  if ((!order.consent.empty() && order.consent.size() != 32) ||
      !takeThings(order, json.value("things", Json()), mostDrops) || order.things.empty())
    return std::nullopt;
  if (textOf(json, "digest", 32) != order.digest()) return std::nullopt;
  return order;
}

Json factsOf(const StepFacts& facts) {
  Json others = Json::array();
  for (const PathBytes& path : facts.others) others.push_back(escapePath(path));
  return {{"job", facts.job}, {"live", facts.live}, {"others", std::move(others)}};
}

std::optional<StepFacts> factsFrom(const Json& json) {
  if (!json.is_object()) return std::nullopt;
  StepFacts facts;
  facts.job = textOf(json, "job", 64);
  facts.live = json.value("live", Json()) == true;
  const Json others = json.value("others", Json());
  if (facts.job.empty() || facts.job.find('/') != std::string::npos || !others.is_array() ||
      others.size() > mostOthers)
    return std::nullopt;
  for (const Json& path : others) {
    if (!path.is_string()) return std::nullopt;
    facts.others.push_back(unescapePath(path.get<std::string>()));
  }
  return facts;
}

Json entriesOf(const StepFacts& facts, std::size_t from, std::size_t count) {
  Json rows = Json::array();
  for (std::size_t i = from; i < std::min(from + count, facts.entries.size()); ++i) {
    const StepFacts::Entry& e = facts.entries[i];
    rows.push_back({e.parent, escapePath(e.name), toJson(e.stat), e.stat.mayShare});
  }
  return rows;
}

bool takeEntries(StepFacts& facts, const Json& entries) {
  if (!entries.is_array() || entries.size() > mostFacts - std::min(facts.entries.size(), mostFacts))
    return false;
  for (const Json& row : entries) {
    if (!row.is_array() || row.size() != 4 || !row[0].is_number_unsigned() || !row[1].is_string() ||
        !row[3].is_boolean())
      return false;
    auto stat = statFrom(row[2]);
    if (!stat || row[0].get<std::uint64_t>() > facts.entries.size()) return false;
    stat->mayShare = row[3] == true;
    facts.entries.push_back({row[0].get<std::uint32_t>(), unescapePath(row[1].get<std::string>()), *stat});
  }
  return true;
}

std::optional<Numbers> numbersFrom(const Json& json, std::size_t columns) {
  if (!json.is_array()) return std::nullopt;
  Numbers rows;
  for (const Json& row : json) {
    NumberList in(row, columns);
    rows.emplace_back(columns);
    for (auto& n : rows.back()) in.get(n);
    if (!in.ok()) return std::nullopt;
  }
  return rows;
}

Json toJson(const StoredSizes::Tree& tree) {
  const Subvolume& s = tree.is;
  return {{"id", s.id},
          {"stored", tree.stored},
          {"parent", s.parent},
          {"folder", s.folder},
          {"name", escapePath(s.name)},
          {"path", escapePath(s.path)},
          {"uuid", s.uuid},
          {"parent_uuid", s.parentUuid},
          {"received_uuid", s.receivedUuid},
          {"made", s.made},
          {"sent", s.sent},
          {"flags", (s.readOnly ? 1 : 0) | (s.going ? 2 : 0) | (s.isDefault ? 4 : 0) | (s.mounted ? 8 : 0)}};
}

bool StoredReader::takeTrees(const Json& rows) {
  for (const Json& row : rows) {
    JsonReader in(row);
    StoredSizes::Tree tree;
    tree.is.id = in.number<std::uint64_t>("id");
    tree.stored = in.number<Bytes>("stored");
    tree.is.parent = in.number<std::uint64_t>("parent");
    tree.is.folder = in.number<std::uint64_t>("folder");
    tree.is.name = in.path("name");
    tree.is.path = in.path("path");
    tree.is.uuid = in.text("uuid");
    tree.is.parentUuid = in.text("parent_uuid");
    tree.is.receivedUuid = in.text("received_uuid");
    tree.is.made = in.number<TimeNs>("made");
    tree.is.sent = in.number<std::uint64_t>("sent");
    const auto flags = in.number<unsigned>("flags");
    tree.is.readOnly = (flags & 1) != 0;
    tree.is.going = (flags & 2) != 0;
    tree.is.isDefault = (flags & 4) != 0;
    tree.is.mounted = (flags & 8) != 0;
    if (!in.ok()) return false;
    sizes.trees.push_back(std::move(tree));
  }
  return true;
}

bool StoredReader::takeSets(const Json& rows) {
  for (const Json& row : rows) {
    if (!row.is_array() || row.size() % 2 != 0) return false;
    std::vector<NumberSets::Run> runs;
    for (std::size_t i = 0; i < row.size(); i += 2) {
      if (!row[i].is_number_unsigned() || !row[i + 1].is_number_unsigned()) return false;
      runs.push_back({row[i].get<std::uint32_t>(), row[i + 1].get<std::uint32_t>()});
    }
    // Each set is told once, the empty one first: they get the numbers that they have there.
    const NumberSets::Id expected = setsTaken_++;
    if (sizes.sets.of(std::move(runs)) != expected) return false;
  }
  return true;
}

bool StoredReader::take(const Json& part) {
  if (!part.is_object() || part.size() != 1 || !part.begin()->is_array()) return false;
  const std::string& key = part.begin().key();
  const Json& rows = *part.begin();
  if (key == "trees") return takeTrees(rows);
  if (key == "sets") return takeSets(rows);
  const auto numbers = numbersFrom(rows, key == "extents" ? 2 : 3);
  if (!numbers) return false;
  const auto small = [](std::uint64_t n) {
    return static_cast<std::uint32_t>(std::min<std::uint64_t>(n, ~0u));
  };
  for (const auto& r : *numbers) {
    if (key == "files")
      sizes.files.push_back({r[0], r[1], r[2]});
    else if (key == "extents")
      sizes.extents.push_back({r[0], small(r[1])});
    else if (key == "reaches")
      sizes.reaches.push_back({r[0], r[1], small(r[2])});
    else if (key == "held")
      sizes.held.push_back({small(r[0]), r[1], r[2]});
    else
      return false;
  }
  return true;
}

bool StoredReader::holdTogether() const {
  const auto known = [&](NumberSets::Id set) { return set < sizes.sets.size(); };
  for (NumberSets::Id id = 0; id < sizes.sets.size(); ++id)
    for (const auto& run : sizes.sets.runs(id))
      if (run.to > sizes.trees.size()) return false;
  return std::all_of(sizes.extents.begin(), sizes.extents.end(),
                     [&](const auto& e) { return known(e.holders); }) &&
         std::all_of(sizes.held.begin(), sizes.held.end(), [&](const auto& x) { return known(x.holders); }) &&
         std::all_of(sizes.reaches.begin(), sizes.reaches.end(),
                     [&](const auto& r) { return r.extent < sizes.extents.size(); });
}

Json errorJson(const Error& error) {
  return {{"code", refused},
          {"message", std::string(name(error.code))},
          {"data", {{"errno", error.sysErrno}, {"code", static_cast<int>(error.code)}}}};
}

Error errorFrom(const Json& json, std::string_view operation, std::string_view path) {
  Error error{Errc::io, operation, std::string(path), 0, {}};
  if (!json.is_object()) return error;
  const Json data = json.value("data", Json());
  if (data.is_object()) {
    if (const Json number = data.value("errno", Json()); number.is_number_integer())
      error.sysErrno = std::clamp(number.get<int>(), 0, 4095);
    if (const Json code = data.value("code", Json());
        code.is_number_integer() && code.get<int>() >= 0 && code.get<int>() <= static_cast<int>(Errc::io))
      error.code = static_cast<Errc>(code.get<int>());
  }
  error.detail = textOf(json, "message", 200);
  return error;
}

}  // namespace zt::helper
