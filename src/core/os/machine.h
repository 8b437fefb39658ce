// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>

#include "core/base/bytes.h"

namespace zt {

/// What is known of the machine that this program runs on.
struct MachineFacts {
  Bytes memory = 0;    ///< installed; 0 where unknown
  std::string boot;    ///< told anew at every start of the machine; empty where unknown
  std::string kernel;  ///< the running one's version, as in the names of its files; empty where unknown
};

/// Port to the machine itself. Any thread.
class Machine {
public:
  virtual ~Machine() = default;
  virtual MachineFacts facts() const = 0;
};

/// This machine, by uname(2), sysinfo(2) and proc(5) (`/proc/sys/kernel/random/boot_id`).
std::shared_ptr<Machine> thisMachine();

}  // namespace zt
