// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/upkeep/units.h"

#include <algorithm>

namespace zt {

namespace {

/// A word of an ExecStart= line, systemd.service(5): quoted, with specifiers and variables taken literally.
std::string quoted(const std::string& word) {
  std::string out = "\"";
  for (const char c : word) {
    if (c == '"' || c == '\\') out += '\\';
    if (c == '%' || c == '$') out += c;
    out += c;
  }
  return out + "\"";
}

/// A word for the shell that cron starts.
std::string shellWord(const std::string& word) {
  std::string out = "'";
  for (const char c : word) out += c == '\'' ? std::string("'\\''") : c == '%' ? "\\%" : std::string(1, c);
  return out + "'";
}

/// It has to reach caches, homes and the journal, and nothing else: no network, no devices of its own,
/// nothing of the system's programs and settings.
constexpr const char* hardening = R"(NoNewPrivileges=yes
ProtectSystem=full
ProtectKernelTunables=yes
ProtectKernelModules=yes
ProtectKernelLogs=yes
ProtectControlGroups=yes
ProtectClock=yes
ProtectHostname=yes
RestrictRealtime=yes
RestrictSUIDSGID=yes
RestrictNamespaces=yes
LockPersonality=yes
MemoryDenyWriteExecute=yes
RestrictAddressFamilies=AF_UNIX AF_NETLINK
IPAddressDeny=any
SystemCallArchitectures=native
SystemCallFilter=@system-service
SystemCallFilter=~@clock @cpu-emulation @debug @module @obsolete @raw-io @reboot
UMask=0077
)";

constexpr const char* ofRoot =
    R"(CapabilityBoundingSet=CAP_DAC_OVERRIDE CAP_DAC_READ_SEARCH CAP_FOWNER CAP_CHOWN CAP_SYS_ADMIN CAP_SYS_PTRACE CAP_LINUX_IMMUTABLE
PrivateNetwork=yes
)";

UnitFile serviceOf(const std::string& name, const std::string& asked, const std::string& program,
                   bool whole) {
  std::string text =
      "[Unit]\nDescription=Upkeep of drives by Zip Tally" +
      std::string(asked.empty() ? "" : " after an upgrade") +
      "\nDocumentation=man:ztally(1)\nConditionACPower=true\n\n[Service]\nType=oneshot\nExecStart=" +
      quoted(program) + " upkeep run --due" + (whole ? "" : " --notify") + asked +
      "\nNice=19\nIOSchedulingClass=idle\nSuccessExitStatus=3\n";
  text += hardening;
  if (whole) text += ofRoot;
  return {name + ".service", std::move(text)};
}

}  // namespace

std::vector<UnitFile> upkeepUnits(const std::vector<UpkeepRule>& rules, const std::string& program,
                                  bool whole) {
  std::vector<UnitFile> units;
  units.push_back(serviceOf("zip-tally-upkeep", "", program, whole));
  units.push_back(
      {"zip-tally-upkeep.timer",
       "[Unit]\nDescription=Upkeep of drives by Zip Tally\nDocumentation=man:ztally(1)\n\n[Timer]\n"
       "OnCalendar=hourly\nRandomizedDelaySec=5min\nPersistent=true\n\n[Install]\nWantedBy=timers.target\n"});
  const bool upgrades = std::any_of(rules.begin(), rules.end(),
                                    [](const UpkeepRule& r) { return r.when == UpkeepWhen::upgrade; });
  if (!upgrades) return units;
  units.push_back(serviceOf("zip-tally-upkeep-upgrade", " --upgraded", program, whole));
  units.push_back(
      {"zip-tally-upkeep-upgrade.path",
       "[Unit]\nDescription=Upkeep of drives by Zip Tally after an upgrade\nDocumentation=man:ztally(1)\n\n"
       "[Path]\nPathChanged=/var/lib/dpkg/status\nTriggerLimitIntervalSec=1h\nTriggerLimitBurst=2\n\n"
       "[Install]\nWantedBy=paths.target\n"});
  return units;
}

std::string crontabLine(const std::string& program) {
  return "17 * * * * " + shellWord(program) + " upkeep run --due";
}

}  // namespace zt
