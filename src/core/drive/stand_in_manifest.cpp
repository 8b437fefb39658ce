// SPDX-License-Identifier: GPL-3.0-or-later
#include <nlohmann/json.hpp>

#include "core/drive/stand_in_drive.h"

namespace zt {

namespace {

using Json = nlohmann::json;

constexpr Bytes mostBytes = Bytes{1} << 60;

/// Reads checked values; the first thing that is wrong is remembered, later reads give zeros.
class Reader {
public:
  explicit Reader(const Json& json) : json_(json) {}

  Bytes bytes(const char* key) {
    const auto at = json_.find(key);
    if (at == json_.end()) return 0;
    if (!at->is_number_unsigned() || at->get<Bytes>() > mostBytes) return wrong(key), 0;
    return at->get<Bytes>();
  }
  TimeNs time(const char* key) {
    const auto at = json_.find(key);
    if (at == json_.end() || !at->is_number_integer()) return 0;
    return at->get<TimeNs>();
  }
  std::string text(const char* key) {
    const auto at = json_.find(key);
    if (at == json_.end()) return {};
    if (!at->is_string() || at->get_ref<const std::string&>().size() > 8192) return wrong(key), std::string{};
    return at->get<std::string>();
  }
  template <class Each>
  void each(const char* key, Each take) {
    const auto at = json_.find(key);
    if (at == json_.end()) return;
    if (!at->is_array() || at->size() > 100'000) return wrong(key);
    for (const Json& item : *at) {
      Reader inner(item);
      if (item.is_object()) take(inner);
      if (!item.is_object() || !inner.fault_.empty()) return wrong(key);
    }
  }
  void wrong(const char* key) {
    if (fault_.empty()) fault_ = key;
  }
  const std::string& fault() const { return fault_; }

private:
  const Json& json_;
  std::string fault_;
};

template <class Enum>
Enum choose(Reader& in, const char* key, int count, Enum fallback) {
  const std::string text = in.text(key);
  for (int i = 0; i < count; ++i)
    if (name(static_cast<Enum>(i)) == text) return static_cast<Enum>(i);
  in.wrong(key);
  return fallback;
}

void readLists(Reader& in, StandInManifest& m) {
  in.each("snapshots", [&](Reader& s) {
    m.snapshots.push_back(
        {s.text("name"), s.time("taken_ns"), s.bytes("own_bytes"), s.bytes("shared_bytes")});
  });
  in.each("open_files", [&](Reader& o) {
    m.openFiles.push_back({unescapePath(o.text("path")), o.text("holder")});
  });
  in.each("holes", [&](Reader& h) {
    m.holes.push_back({unescapePath(h.text("path")), h.bytes("occupied_bytes")});
  });
  in.each("targets", [&](Reader& t) {
    Target target{TargetOrigin::task, t.text("label"), t.text("amount"), 0, true};
    const auto bytes = parseAmount(target.amount, m.capacity);
    if (!bytes) return t.wrong("amount");
    target.bytes = *bytes;
    m.targets.push_back(std::move(target));
  });
}

}  // namespace

Result<StandInManifest> parseStandIn(std::string_view text) {
  const Json json = Json::parse(text, nullptr, false);
  if (!json.is_object() || json.value("format", Json()) != "zip-tally-stand-in")
    return fail(Errc::notOurs, "stand-in");
  Reader in(json);
  if (in.bytes("version") != 1) return fail(Errc::tooNew, "stand-in");
  StandInManifest m;
  m.id = in.text("id");
  m.name = in.text("name");
  m.fsType = in.text("fs_type");
  m.options = in.text("options");
  m.role = choose(in, "role", 7, DriveRole::system);
  m.kind = choose(in, "kind", 5, DriveKind::solidState);
  m.built = in.time("built_ns");
  m.capacity = in.bytes("capacity_bytes");
  m.reserved = in.bytes("reserved_bytes");
  m.overhead = in.bytes("overhead_bytes");
  m.beneathMounts = in.bytes("beneath_mounts_bytes");
  m.openDeleted = in.bytes("open_deleted_bytes");
  m.heldBySnapshots = in.bytes("held_by_snapshots_bytes");
  readLists(in, m);
  if (m.capacity == 0 || m.id.empty()) in.wrong("capacity_bytes");
  if (!in.fault().empty()) return fail(Errc::badInput, "stand-in", {}, in.fault());
  return m;
}

}  // namespace zt
