// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/rights/helper_protocol.h"

#include <algorithm>

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
  return Json::array({u.capacity, u.free, u.available, u.inodes, u.inodesFree, unsigned{u.readOnly}});
}

std::optional<SpaceUsage> usageFrom(const Json& json) {
  NumberList in(json, 6);
  SpaceUsage u;
  std::uint8_t readOnly = 0;
  for (std::uint64_t* n : {&u.capacity, &u.free, &u.available, &u.inodes, &u.inodesFree}) in.get(*n);
  in.get(readOnly);
  u.readOnly = readOnly != 0;
  return in.ok() ? std::optional(u) : std::nullopt;
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
