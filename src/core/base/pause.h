// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <condition_variable>
#include <mutex>
#include <stop_token>

namespace zt {

/// Lets long work wait between two pieces until it is told to go on, or to stop. Any thread.
class PauseGate {
public:
  void setPaused(bool paused) {
    const std::scoped_lock lock(mutex_);
    paused_ = paused;
    changed_.notify_all();
  }
  bool paused() const {
    const std::scoped_lock lock(mutex_);
    return paused_;
  }
  /// Returns at once unless paused; while paused, when it goes on or `stop` is requested.
  void pass(const std::stop_token& stop) {
    std::unique_lock lock(mutex_);
    if (paused_) changed_.wait(lock, stop, [this] { return !paused_; });
  }

private:
  mutable std::mutex mutex_;
  std::condition_variable_any changed_;
  bool paused_ = false;
};

}  // namespace zt
