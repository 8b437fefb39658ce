// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/json_reader.h"
#include "core/job/sites/stand_in_drive.h"

namespace zt {

namespace {

constexpr Bytes mostBytes = Bytes{1} << 60;
constexpr std::size_t mostRows = 100'000;

Bytes amount(JsonReader& in, const char* key) {
  const auto bytes = in.numberOr<Bytes>(key, 0);
  if (bytes > mostBytes) in.wrong(key);
  return bytes > mostBytes ? 0 : bytes;
}

/// What single snapshots are said to hold, as blocks and their holders.
void holdEach(StandInManifest& m) {
  const auto count = static_cast<std::uint32_t>(m.snapshots.size());
  for (std::uint32_t i = 0; i < count; ++i) {
    const auto& s = m.snapshots[i];
    if (s.ownBytes > 0) m.held.push_back({s.ownBytes, i, i, {}});
    const std::uint32_t first = i > 0 && i + 1 == count ? i - 1 : i;
    if (s.sharedBytes > 0) m.held.push_back({s.sharedBytes, first, std::min(first + 1, count - 1), {}});
  }
}

void readLists(JsonReader& in, StandInManifest& m) {
  in.eachOr("snapshots", mostRows, [&](JsonReader& s) {
    m.snapshots.push_back({s.textOr("name"), s.numberOr<TimeNs>("taken_ns", 0), amount(s, "own_bytes"),
                           amount(s, "shared_bytes"), s.textOr("words")});
  });
  in.eachOr("held", mostRows, [&](JsonReader& h) {
    m.held.push_back({amount(h, "bytes"), h.number<std::uint32_t>("first"), h.number<std::uint32_t>("last"),
                      unescapePath(h.textOr("path", {}, 8192))});
    if (m.held.back().first > m.held.back().last || m.held.back().last >= m.snapshots.size()) h.wrong("last");
  });
  holdEach(m);
  in.eachOr("open_files", mostRows, [&](JsonReader& o) {
    m.openFiles.push_back({unescapePath(o.text("path", 8192)), o.text("holder")});
  });
  in.eachOr("stored", mostRows,
            [&](JsonReader& s) { m.stored.push_back(unescapePath(s.text("path", 8192))); });
  in.eachOr("holes", mostRows, [&](JsonReader& h) {
    m.holes.push_back({unescapePath(h.text("path", 8192)), amount(h, "occupied_bytes")});
  });
  in.eachOr("targets", mostRows, [&](JsonReader& t) {
    Target target{
        TargetOrigin::task, t.text("label"), t.text("amount"), 0, true, t.flagOr("while_it_runs", false)};
    const auto bytes = parseAmount(target.amount, m.capacity);
    if (!bytes) return t.wrong("amount");
    target.bytes = *bytes;
    m.targets.push_back(std::move(target));
  });
}

}  // namespace

Result<StandInManifest> parseStandIn(std::string_view text) {
  const Json json = parseJson(text);
  if (!json.is_object() || json.value("format", Json()) != "zip-tally-stand-in")
    return fail(Errc::notOurs, "stand-in");
  JsonReader in(json);
  if (in.number<std::uint64_t>("version") != 1) return fail(Errc::tooNew, "stand-in");
  StandInManifest m;
  m.id = in.text("id");
  m.name = in.textOr("name");
  m.fsType = in.textOr("fs_type");
  m.options = in.textOr("options");
  m.role = in.choice<DriveRole>("role", driveRoles);
  m.kind = in.choice<DriveKind>("kind", driveKinds);
  m.built = in.numberOr<TimeNs>("built_ns", 0);
  m.capacity = amount(in, "capacity_bytes");
  m.reserved = amount(in, "reserved_bytes");
  m.overhead = amount(in, "overhead_bytes");
  m.beneathMounts = amount(in, "beneath_mounts_bytes");
  m.openDeleted = amount(in, "open_deleted_bytes");
  readLists(in, m);
  if (m.capacity == 0 || m.id.empty()) in.wrong("capacity_bytes");
  if (!in.ok()) return fail(Errc::badInput, "stand-in", {}, in.fault());
  return m;
}

}  // namespace zt
