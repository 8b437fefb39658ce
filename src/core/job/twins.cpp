// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/twins.h"

#include "core/base/json_reader.h"
#include "core/base/token.h"
#include "core/job/register.h"

namespace zt {

namespace {

/// The UUID, without what sets a twin apart.
std::string uuidOf(const Drive& drive) {
  return drive.id.substr(0, drive.id.find('~'));
}

std::string apart(const std::string& uuid, const std::string& hardware) {
  return uuid + "~" + tokenOf(hardware).substr(0, 8);
}

std::string saidAs(const std::string& uuid) {
  return "hardware of " + uuid;
}

/// Which identity belongs to which hardware.
Json knownOf(const std::string& said) {
  const Json json = parseJson(said);
  return json.is_object() ? json : Json::object();
}

Result<void> keep(const std::string& uuid, const std::string& hardware, const std::string& id,
                  Register& visits) {
  return visits.amend(saidAs(uuid), [&](const std::string& was) -> Result<std::string> {
    Json known = knownOf(was);
    known[hardware] = id;
    return known.dump(-1, ' ', false, Json::error_handler_t::replace);
  });
}

}  // namespace

DriveIdentity identityOf(const std::string& uuid, const std::string& hardware, Register& visits) {
  const Json known = knownOf(visits.said(saidAs(uuid)));
  if (known.empty()) return {uuid, false};
  const auto at = known.find(hardware);
  if (at == known.end() || !at->is_string()) return {apart(uuid, hardware), true};
  return {at->get<std::string>(), false};
}

void noteHardware(const Drive& drive, Register& visits) {
  const std::string uuid = uuidOf(drive);
  if (drive.hardware.empty() || drive.standIn || !knownOf(visits.said(saidAs(uuid))).empty()) return;
  (void)keep(uuid, drive.hardware, uuid, visits);
}

Result<void> sayTwin(const Drive& drive, bool same, Register& visits) {
  if (drive.hardware.empty()) return fail(Errc::unsupported, "drive", drive.target);
  const std::string uuid = uuidOf(drive);
  return keep(uuid, drive.hardware, same ? uuid : apart(uuid, drive.hardware), visits);
}

}  // namespace zt
