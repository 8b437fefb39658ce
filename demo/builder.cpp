// SPDX-License-Identifier: GPL-3.0-or-later
#include "demo/builder.h"

#include <xxhash.h>

#include <algorithm>
#include <ctime>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>

#include "core/base/path_bytes.h"
#include "demo/scenario.h"
#include "demo/writer.h"

namespace zt::embedded {
extern const char* const skerryPoint;
extern const char* const ferry;
extern const char* const studio;
}  // namespace zt::embedded

namespace zt::demo {

namespace {

using Json = nlohmann::json;

/// So many hexadecimal digits, as programs draw them by lot: the same ones at each build.
std::string drawnHex(const std::string& pattern, int n, std::size_t digits) {
  std::string hex;
  for (std::uint64_t round = 0; hex.size() < digits; ++round) {
    char part[20];
    const std::string of = pattern + std::to_string(n) + ":" + std::to_string(round);
    std::snprintf(part, sizeof part, "%016llx",
                  static_cast<unsigned long long>(XXH64(of.data(), of.size(), 0)));
    hex += part;
  }
  return hex.substr(0, digits);
}

/// "{n}" is the number, "{hex:40}" so many digits by lot.
std::string numbered(const std::string& pattern, int n, int count) {
  if (const auto at = pattern.find("{hex:"); at != std::string::npos) {
    const auto end = pattern.find('}', at);
    const auto digits = static_cast<std::size_t>(std::stoi(pattern.substr(at + 5, end - at - 5)));
    return numbered(pattern.substr(0, at) + drawnHex(pattern, n, digits) + pattern.substr(end + 1), n, count);
  }
  const auto at = pattern.find("{n}");
  if (at == std::string::npos) return pattern;
  std::string digits = std::to_string(n);
  const std::size_t width = std::to_string(count).size();
  digits.insert(0, width - std::min(width, digits.size()), '0');
  return pattern.substr(0, at) + digits + pattern.substr(at + 3);
}

std::string fromHex(const std::string& hex) {
  std::string bytes;
  for (std::size_t i = 0; i + 1 < hex.size(); i += 2)
    bytes += static_cast<char>(std::stoi(hex.substr(i, 2), nullptr, 16));
  return bytes;
}

/// Shares bytes out: evenly, or so that the first files are several times larger than the last.
std::vector<Bytes> shares(const FileSet& set) {
  const auto count = static_cast<std::size_t>(set.count);
  std::vector<Bytes> sizes(count, set.bytes / count);
  if (!set.even && count > 1) {
    double sum = 0;
    for (std::size_t i = 0; i < count; ++i) sum += 1.0 / (static_cast<double>(i) + 4);
    Bytes given = 0;
    for (std::size_t i = 0; i < count; ++i) {
      sizes[i] = static_cast<Bytes>(static_cast<double>(set.bytes) / sum / (static_cast<double>(i) + 4));
      given += sizes[i];
    }
    sizes[0] += set.bytes > given ? set.bytes - given : 0;
  }
  return sizes;
}

/// Percent-encoding of a trash info path.
std::string percent(const std::string& path) {
  std::string out;
  for (const char c : path) {
    const bool plain = std::isalnum(static_cast<unsigned char>(c)) != 0 ||
                       std::string_view("/-_.~").find(c) != std::string_view::npos;
    char hex[8];
    std::snprintf(hex, sizeof hex, "%%%02X", static_cast<unsigned>(static_cast<unsigned char>(c)));
    out += plain ? std::string(1, c) : std::string(hex);
  }
  return out;
}

class Builder {
public:
  Builder(const std::string& folder, TimeNs now) : folder_(folder), now_(now), writer_(folder + "/drive") {}

  Result<Built> run(const Scenario& s) {
    manifest_ = Json::parse(s.manifest, nullptr, false);
    if (!manifest_.is_object()) return fail(Errc::badInput, "scenario", {}, "manifest");
    for (const FileSet& set : s.files)
      if (auto made = add(set); !made) return tl::unexpected(made.error());
    for (const LinkSet& set : s.links)
      if (auto made = link(set); !made) return tl::unexpected(made.error());
    for (const Thrown& thrown : s.thrown)
      if (auto made = throwAway(thrown); !made) return tl::unexpected(made.error());
    if (s.oddNames)
      if (auto made = oddities(); !made) return tl::unexpected(made.error());
    if (auto done = writer_.settle(); !done) return tl::unexpected(done.error());
    complete(s.free);
    std::ofstream(folder_ + "/manifest.json") << manifest_.dump(2) << '\n';
    std::ofstream(folder_ + "/expected-finds.json") << s.expected;
    return Built{writer_.files, writer_.folders, length_, s.free};
  }

private:
  TimeNs ago(double days) const { return now_ - static_cast<TimeNs>(days * 86400.0) * nsPerSecond; }

  Result<void> add(const FileSet& set) {
    const auto sizes = set.text.empty()
                           ? shares(set)
                           : std::vector<Bytes>(static_cast<std::size_t>(set.count), set.text.size());
    for (int n = 1; n <= set.count; ++n) {
      TreeWriter::File f;
      f.path = joinPath(set.folder, numbered(set.name, n, set.count));
      f.length = sizes[static_cast<std::size_t>(n - 1)];
      f.key = set.content.empty() ? f.path : set.content + std::to_string(n);
      f.differs = set.differs;
      f.head = set.text.empty() ? fromHex(set.magic) : set.text;
      // Ages are spread evenly, in an order that does not follow the sizes.
      const double part = set.count == 1 ? 0 : static_cast<double>((n * 7919) % set.count) / set.count;
      f.modified = ago(set.youngest + (set.oldest - set.youngest) * part);
      f.owner = set.owner;
      f.mode = set.mode;
      if (!set.disk.empty()) {
        f.pieces = set.disk == "raw" ? rawDisk(f.length, set.guestUsed)
                                     : qcow2Disk(f.length, set.guest, set.guestUsed, set.idle);
        manifest_["stored"].push_back({{"path", f.path}});
      }
      if (auto made = writer_.file(f); !made) return made;
      if (!set.placeholder) length_ += set.occupied != 0 ? set.occupied : f.length;
      if (set.occupied != 0 || set.placeholder)
        manifest_["holes"].push_back({{"path", f.path}, {"occupied_bytes", set.occupied}});
      if (!set.heldBy.empty()) manifest_["open_files"].push_back({{"path", f.path}, {"holder", set.heldBy}});
    }
    return {};
  }

  Result<void> link(const LinkSet& set) {
    const std::filesystem::path from = folder_ + "/drive/" + set.from;
    std::vector<std::string> names;
    for (const auto& entry : std::filesystem::directory_iterator(from))
      if (entry.is_regular_file()) names.push_back(entry.path().filename().string());
    for (const auto& name : names)
      if (auto made = writer_.hardLink(joinPath(set.from, name), joinPath(set.folder, name)); !made)
        return made;
    return {};
  }

  Result<void> throwAway(const Thrown& t) {
    const bool nt = t.form == "nt";
    const std::string folder = t.form == "freedesktop" ? t.trash + "/files/" : t.trash + "/";
    // On a mac nothing but the change time tells when something was thrown away.
    const double touched = t.form == "mac" ? t.days : t.days + 40;
    const TreeWriter::File thing{
        folder + (nt ? "$R" : "") + t.name, t.bytes, t.trash + t.name, {}, ago(touched), t.owner, 0644};
    length_ += thing.length;
    if (auto made = writer_.file(thing); !made || t.form == "mac") return made;
    const std::string record = nt ? recycleRecord(t) : trashInfo(t);
    length_ += record.size();
    const std::string name = nt ? folder + "$I" + t.name : t.trash + "/info/" + t.name + ".trashinfo";
    return writer_.file({name, record.size(), {}, record, ago(t.days), t.owner, 0600});
  }

  std::string trashInfo(const Thrown& t) const {
    const std::time_t when = static_cast<std::time_t>(ago(t.days) / nsPerSecond);
    char date[32];
    std::strftime(date, sizeof date, "%Y-%m-%dT%H:%M:%S", std::localtime(&when));
    return "[Trash Info]\nPath=" + percent(t.origin) + "\nDeletionDate=" + date + "\n";
  }

  /// A record of version 2: see core/detect/recycle_record.h. Origins are plain ASCII here.
  std::string recycleRecord(const Thrown& t) const {
    std::string out;
    const auto number = [&](std::uint64_t value, int bytes) {
      for (int i = 0; i < bytes; ++i) out += static_cast<char>(value >> (8 * i) & 0xFF);
    };
    number(2, 8);
    number(t.bytes, 8);
    number(static_cast<std::uint64_t>(ago(t.days) / 100) + 116'444'736'000'000'000, 8);
    number(t.origin.size() + 1, 4);
    for (const char c : t.origin + '\0') number(static_cast<unsigned char>(c), 2);
    return out;
  }

  /// Names, depths and kinds of entries that have to be borne.
  Result<void> oddities() {
    const std::string top = "home/volunteer/odd names";
    const std::string right = "\u202Efdp.sgnir";
    for (const std::string& name :
         {std::string("line\nbreak.txt"), std::string("latin1-\xE9\xFC.txt"), std::string(251, 'n') + ".txt",
          right, std::string("back\\slash and \"quotes\".txt"), std::string(" leading space")}) {
      const std::string text = "an odd name\n";
      length_ += text.size();
      if (auto made = writer_.file({top + "/" + name, text.size(), {}, text, ago(30), 1003, 0644}); !made)
        return made;
    }
    for (const auto& [target, path] :
         {std::pair{"loop-b", top + "/loop-a"}, {"loop-a", top + "/loop-b"}, {"../../..", top + "/up"}})
      if (auto made = writer_.symlink(target, path); !made) return made;
    if (auto made = writer_.fifo(top + "/pipe"); !made) return made;
    length_ += 5;
    if (auto made = writer_.deepChain("home/volunteer/deep", 60, ago(90)); !made) return made;
    if (auto made = writer_.file({"home/volunteer/private/diary.txt", 900, "diary", {}, ago(3), 1003, 0600});
        !made)
      return made;
    length_ += 900;
    return writer_.folder("home/volunteer/private", 1003, 0);
  }

  /// The lines of the manifest that follow from what was built.
  void complete(Bytes free) {
    const auto line = [&](const char* key) { return manifest_.value(key, Json(0)).get<Bytes>(); };
    const Bytes folders =
        (writer_.folders + 1) * 4096;  // nearly: large folders take more blocks, the rest is overhead
    const Bytes used = length_ + folders + line("held_by_snapshots_bytes") + line("open_deleted_bytes") +
                       line("beneath_mounts_bytes");
    const Bytes capacity = line("capacity_bytes");
    manifest_["overhead_bytes"] = capacity > used + free ? capacity - used - free : 0;
    manifest_["built_ns"] = now_;
    for (auto& snapshot : manifest_["snapshots"]) snapshot["taken_ns"] = ago(snapshot.value("days", 0.0));
  }

  std::string folder_;
  TimeNs now_;
  TreeWriter writer_;
  Json manifest_;
  Bytes length_ = 0;
};

}  // namespace

Result<Built> build(const std::string& folder, TimeNs now, std::string_view drive) {
  const std::pair<std::string_view, const char*> scenarios[] = {
      {"office", embedded::skerryPoint}, {"ferry", embedded::ferry}, {"studio", embedded::studio}};
  const auto chosen = std::find_if(std::begin(scenarios), std::end(scenarios),
                                   [&](const auto& s) { return s.first == drive; });
  if (chosen == std::end(scenarios)) return fail(Errc::badInput, "demo", {}, std::string(drive));
  std::error_code error;
  if (std::filesystem::exists(folder, error) && !std::filesystem::is_empty(folder, error))
    return fail(Errc::taken, "demo", folder);
  std::filesystem::create_directories(folder + "/drive", error);
  if (error) return failErrno("demo", folder, error.value());
  const auto scenario = parseScenario(chosen->second);
  if (!scenario) return tl::unexpected(scenario.error());
  return Builder(folder, now).run(*scenario);
}

}  // namespace zt::demo
