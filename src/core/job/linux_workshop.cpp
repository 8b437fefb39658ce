// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/linux_workshop.h"

#include "core/job/own_places.h"
#include "core/job/twins.h"

#include "core/os/btrfs/linux_snapshots.h"
#include "core/os/linux/linux_drive_insides.h"
#include "core/os/linux/linux_file_system.h"
#include "core/os/linux/linux_live_system.h"
#include "core/os/linux/linux_mount_table.h"
#include "core/os/linux/linux_open_files.h"
#include "core/os/paths.h"
#include "core/os/rights/helper_client.h"
#include "core/os/rights/helper_snapshots.h"
#include "core/os/system_clock.h"

namespace zt {

Workshop linuxWorkshop() {
  Workshop workshop;
  workshop.files = std::make_shared<LinuxFileSystem>();
  workshop.mounts = std::make_shared<LinuxMountTable>();
  workshop.openFiles = std::make_shared<LinuxOpenFiles>();
  workshop.clock = std::make_shared<SystemClock>();
  workshop.insides = std::make_shared<LinuxDriveInsides>();
  workshop.privileged = std::make_shared<HelperClient>(helperCommand());
  workshop.snapshots =
      std::make_shared<FallbackSnapshots>(std::make_shared<LinuxSnapshots>(), workshop.privileged);
  workshop.machine = thisMachine();
  workshop.live = linuxLiveSystem();
  if (auto places = placesWithOwn(ownPlacesFile()))
    workshop.places = std::move(*places);
  else
    workshop.placesProblem = places.error();
  if (auto visits = Register::open(registerFile())) {
    workshop.visits = std::move(*visits);
    workshop.identity = [known = workshop.visits](const std::string& uuid, const std::string& hardware) {
      return identityOf(uuid, hardware, *known);
    };
  } else if (exists(registerFile()))  // where none is, nothing is known to be kept
    workshop.visitsProblem = visits.error();
  return workshop;
}

}  // namespace zt
