// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/sites/site.h"

#include "core/reclaim/guard.h"

namespace zt {

OwnerNames Site::ownerNames(const Survey& survey) const {
  if (closed() || survey.leftUnanswered()) return {};
  const bool ownSystem = root_ == "/" && !drive_.standIn;
  if (ownSystem || !survey.tree.find("etc/passwd")) return OwnerNames::ofThisMachine(survey.tree.owners());
  constexpr std::size_t most = std::size_t{1} << 20;
  const auto root = files()->openToRead(root_);
  if (!root) return {};
  const auto folder = files()->openBeneath(**root, "etc");
  if (!folder) return {};
  const auto list = files()->readHead(**folder, "passwd", most);
  return list ? OwnerNames::fromList(list->bytes) : OwnerNames();
}

Result<void> Site::mayChange() const {
  if (const auto why = closed()) return fail(*why, "guard", root_);
  const auto top = files()->openRoot(root_);
  if (!top) return tl::unexpected(top.error());
  return checkAwake(*files(), **top, systemsIn(*namesOn(*files(), *top)));
}

bool Site::seesAllOpenFiles() const {
  const auto listing = openFiles()->list();
  return listing && listing->complete;
}

bool Site::keepsAccessTimes() const {
  const std::string options = "," + drive_.options + ",";
  return !drive_.readOnly && options.find(",noatime,") == std::string::npos;
}

Json toJson(const Drive& d) {
  Json systems = Json::array();
  for (const SystemRoot& s : d.systems) {
    Json j{{"family", name(s.family)}, {"certain", s.certain}, {"previous", s.previous}};
    putPath(j, "at", s.at);
    putPath(j, "prefix", s.prefix);
    systems.push_back(std::move(j));
  }
  Json j{{"id", d.id},
         {"twin", d.twin},
         {"label", escapePath(d.label)},
         {"model", escapePath(d.model)},
         {"fs_type", d.fsType},
         {"options", escapePath(d.options)},
         {"role", name(d.role)},
         {"kind", name(d.kind)},
         {"size_class", name(d.size)},
         {"family", name(d.family())},
         {"system_name", escapePath(d.systemName)},
         {"systems", std::move(systems)},
         {"capacity_bytes", d.usage.capacity},
         {"free_bytes", d.usage.available},
         {"reserved_bytes", d.usage.reserved()},
         {"used_bytes", d.usage.used()},
         {"inodes", d.usage.inodes},
         {"inodes_free", d.usage.inodesFree},
         {"read_only", d.readOnly},
         {"live", d.liveSystem},
         {"stand_in", d.standIn},
         {"whole_mount", d.wholeMount},
         {"answers", d.answers}};
  putPath(j, "target", d.target);
  putPath(j, "source", d.source);
  j["also_at"] = Json::array();
  for (const auto& at : d.alsoAt) j["also_at"].push_back(escapePath(at));
  return j;
}

Result<Drive> driveFromJson(const Json& json) {
  JsonReader in(json);
  Drive d;
  d.id = in.text("id");
  d.label = unescapePath(in.text("label"));
  d.model = unescapePath(in.text("model"));
  d.fsType = in.text("fs_type");
  d.options = unescapePath(in.text("options", 65536));
  d.role = in.choice<DriveRole>("role", driveRoles);
  d.kind = in.choice<DriveKind>("kind", driveKinds);
  d.size = in.choice<SizeClass>("size_class", sizeClasses);
  d.systemName = unescapePath(in.text("system_name"));
  in.each("systems", 1000, [&](JsonReader& s) {
    d.systems.push_back({s.path("at"), s.path("prefix"), s.choice<SystemFamily>("family", systemFamilies),
                         s.flag("certain"), s.flag("previous")});
  });
  d.usage.capacity = in.number<Bytes>("capacity_bytes");
  d.usage.available = in.number<Bytes>("free_bytes");
  d.usage.free = d.usage.available + in.number<Bytes>("reserved_bytes");
  d.usage.inodes = in.number<std::uint64_t>("inodes");
  d.usage.inodesFree = in.number<std::uint64_t>("inodes_free");
  d.readOnly = in.flag("read_only");
  d.liveSystem = in.flag("live");
  d.standIn = in.flag("stand_in");
  d.wholeMount = in.flag("whole_mount");
  d.target = in.path("target");
  d.source = in.path("source");
  if (!in.ok()) return fail(Errc::corrupt, "drive", {}, in.fault());
  return d;
}

}  // namespace zt
