// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <condition_variable>
#include <mutex>
#include <stop_token>
#include <vector>

#include "core/survey/tree/survey_tree.h"

namespace zt {

/// A folder that waits to be listed. Opened from its parent's handle; where handles are short, from the root
/// downwards.
struct FolderTask {
  NodeId node = noNode;
  FolderPtr parent;
};

/// Folders that wait, shared by the workers of a walk. Each worker keeps a stack of its own and gives half
/// away when others idle. Any thread.
class TaskPool {
public:
  explicit TaskPool(unsigned workers) : workers_(workers) {}

  unsigned workers() const { return workers_; }
  bool othersIdle() const { return idle_.load(std::memory_order_relaxed) > 0; }

  /// Takes over the first `count` tasks of `from`.
  void give(std::vector<FolderTask>& from, std::size_t count) {
    const std::scoped_lock lock(mutex_);
    const auto end = from.begin() + static_cast<std::ptrdiff_t>(count);
    std::move(from.begin(), end, std::back_inserter(shared_));
    from.erase(from.begin(), end);
    ready_.notify_all();
  }

  /// Waits for work; false when all workers wait, or somebody asked to stop: then there is none.
  bool take(std::vector<FolderTask>& to, const std::stop_token& stop) {
    std::unique_lock lock(mutex_);
    if (++idle_ == workers_ && shared_.empty()) finished_ = true;
    if (finished_) ready_.notify_all();
    ready_.wait(lock, [&] { return finished_ || !shared_.empty() || stop.stop_requested(); });
    if (finished_ || stop.stop_requested() || shared_.empty()) return false;
    --idle_;
    to.push_back(std::move(shared_.back()));
    shared_.pop_back();
    return true;
  }

  void wake() {
    const std::scoped_lock lock(mutex_);
    ready_.notify_all();
  }

private:
  std::mutex mutex_;
  std::condition_variable ready_;
  std::vector<FolderTask> shared_;
  std::atomic<unsigned> idle_{0};
  unsigned workers_;
  bool finished_ = false;
};

}  // namespace zt
