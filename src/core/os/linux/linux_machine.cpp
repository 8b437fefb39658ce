// SPDX-License-Identifier: GPL-3.0-or-later
#include <sys/sysinfo.h>
#include <sys/utsname.h>

#include <fstream>

#include "core/os/machine.h"

namespace zt {

namespace {

class LinuxMachine final : public Machine {
public:
  MachineFacts facts() const override {
    MachineFacts facts;
    struct utsname name {};
    if (::uname(&name) == 0) facts.kernel = name.release;
    struct sysinfo info {};
    if (::sysinfo(&info) == 0) facts.memory = Bytes{info.totalram} * info.mem_unit;
    std::ifstream in("/proc/sys/kernel/random/boot_id");
    std::getline(in, facts.boot);
    return facts;
  }
};

}  // namespace

std::shared_ptr<Machine> thisMachine() {
  return std::make_shared<LinuxMachine>();
}

}  // namespace zt
