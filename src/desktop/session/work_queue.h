// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QThread>
#include <functional>
#include <stop_token>

namespace zt::desktop {

/// A thread that does one piece of work after another. Each has a stop of its own: who stops one does not
/// stop the next. Ends with the work at hand when it is destroyed; what waits is then not begun. Members
/// belong to the thread that made it.
class WorkQueue final {
public:
  explicit WorkQueue(const QString& threadName);
  ~WorkQueue();
  WorkQueue(const WorkQueue&) = delete;
  WorkQueue& operator=(const WorkQueue&) = delete;

  /// Gives what stops this piece of work.
  std::stop_source post(std::function<void(std::stop_token)> work);

private:
  QThread thread_;
  QObject* worker_;
  std::stop_source end_;  ///< of the whole queue
};

}  // namespace zt::desktop
