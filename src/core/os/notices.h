// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <memory>
#include <stop_token>
#include <string>

#include "core/base/result.h"

namespace zt {

/// Something that a person is told on their desktop.
struct Notice {
  std::string title;
  std::string text;
  std::string open;  ///< what the way to the window is called
};

/// Port to the desktop's notifications. One thread at a time.
class Notices {
public:
  virtual ~Notices() = default;
  /// Shows it, and waits for so long whether the person wants to see more. Fails with unsupported where
  /// nobody shows notifications.
  virtual Result<bool> show(const Notice& notice, std::chrono::seconds patience, std::stop_token stop) = 0;
};

/// The desktop that the user sits at, by the Desktop Notifications Specification 1.2
/// (org.freedesktop.Notifications) over D-Bus.
std::shared_ptr<Notices> desktopNotices();

}  // namespace zt
