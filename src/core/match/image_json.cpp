// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/match/image_json.h"

namespace zt {

namespace {
bool isThere(const JsonReader& in, const char* key) {
  return in.has(key) && !in.json()[key].is_null();
}
}  // namespace

Json imageJson(const ImageFacts& facts) {
  Json j{{"format", facts.format},
         {"outside_bytes", facts.outside},
         {"guest_bytes", facts.guestLength},
         {"allocated_bytes", facts.allocated},
         {"inside_bytes", nullptr},
         {"could_return", {{"least_bytes", facts.least}, {"most_bytes", facts.most}}},
         {"kept_states", facts.snapshots},
         {"encrypted", facts.encrypted},
         {"unclean", facts.unclean},
         {"zeros_read", facts.zerosRead},
         {"rewritten", facts.rewritten},
         {"lies", facts.lies},
         {"volumes", Json::array()}};
  if (facts.inside) j["inside_bytes"] = *facts.inside;
  if (!facts.backing.empty()) {
    putPath(j, "backing", facts.backing);
    j["backing_read"] = facts.backingRead;
  }
  for (const GuestVolume& v : facts.volumes) {
    Json one{{"system", v.system}, {"from_bytes", v.on.from}, {"to_bytes", v.on.to}, {"used_bytes", nullptr}};
    if (v.used) one["used_bytes"] = *v.used;
    j["volumes"].push_back(std::move(one));
  }
  return j;
}

ImageFacts readImageFacts(JsonReader& in) {
  ImageFacts facts;
  facts.format = in.text("format");
  facts.outside = in.number<Bytes>("outside_bytes");
  facts.guestLength = in.number<Bytes>("guest_bytes");
  facts.allocated = in.number<Bytes>("allocated_bytes");
  if (isThere(in, "inside_bytes")) facts.inside = in.number<Bytes>("inside_bytes");
  in.object("could_return", [&](JsonReader& back) {
    facts.least = back.number<Bytes>("least_bytes");
    facts.most = back.number<Bytes>("most_bytes");
  });
  facts.snapshots = in.number<std::uint32_t>("kept_states");
  facts.encrypted = in.flag("encrypted");
  facts.unclean = in.flag("unclean");
  facts.zerosRead = in.flagOr("zeros_read", false);
  facts.rewritten = in.flagOr("rewritten", facts.format == "raw" || facts.format == "qcow2");
  facts.lies = in.flagOr("lies", facts.format == "raw");
  if (in.has("backing")) {
    facts.backing = in.path("backing");
    facts.backingRead = in.flag("backing_read");
  }
  constexpr std::size_t mostVolumes = 1024;
  in.eachOr("volumes", mostVolumes, [&](JsonReader& v) {
    GuestVolume one;
    one.system = v.text("system");
    one.on = {v.number<Bytes>("from_bytes"), v.number<Bytes>("to_bytes")};
    if (isThere(v, "used_bytes")) one.used = v.number<Bytes>("used_bytes");
    facts.volumes.push_back(std::move(one));
  });
  return facts;
}

}  // namespace zt
