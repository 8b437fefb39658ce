// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/work_queue.h"

namespace zt::desktop {

WorkQueue::WorkQueue(const QString& threadName) : worker_(new QObject) {
  worker_->moveToThread(&thread_);
  thread_.setObjectName(threadName);
  thread_.start();
}

WorkQueue::~WorkQueue() {
  end_.request_stop();
  thread_.quit();
  thread_.wait();
  delete worker_;
}

std::stop_source WorkQueue::post(std::function<void(std::stop_token)> work) {
  std::stop_source own;
  QMetaObject::invokeMethod(
      worker_,
      [work = std::move(work), own, end = end_.get_token()] {
        if (end.stop_requested()) return;
        const std::stop_callback passOn(end, [own]() mutable { own.request_stop(); });
        work(own.get_token());
      },
      Qt::QueuedConnection);
  return own;
}

}  // namespace zt::desktop
