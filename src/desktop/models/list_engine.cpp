// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/list_engine.h"

#include <algorithm>

namespace zt::desktop {

namespace {
constexpr std::size_t firstRows = 300;
}

ListEngine::ListEngine(QObject* parent) : QObject(parent), worker_(new QObject), summer_(new QObject) {
  worker_->moveToThread(&thread_);
  thread_.setObjectName(QStringLiteral("lists"));
  thread_.start();
  summer_->moveToThread(&sumThread_);
  sumThread_.setObjectName(QStringLiteral("sums"));
  sumThread_.start();
}

ListEngine::~ListEngine() {
  stop_.request_stop();
  for (QThread* thread : {&thread_, &sumThread_}) {
    thread->quit();
    thread->wait();
  }
  delete worker_;
  delete summer_;
}

void ListEngine::ask(Request question) {
  stop_.request_stop();
  stop_ = std::stop_source();
  ++waiting_;
  QMetaObject::invokeMethod(
      worker_,
      [this, question = std::move(question), stop = stop_.get_token(), number = ++number_] {
        work(question, stop, number);
        QMetaObject::invokeMethod(
            this, [this] { --waiting_; }, Qt::QueuedConnection);
      },
      Qt::QueuedConnection);
}

void ListEngine::work(const Request& q, const std::stop_token& stop, quint64 number) {
  if (stop.stop_requested()) return;
  auto first = std::make_shared<ListAnswer>();
  first->context = q.context;
  first->rows = q.among ? *q.among : answer(*q.context, q.question, stop);
  if (stop.stop_requested()) return;
  first->inOrder = std::min(firstRows, first->rows.size());
  sortList(*q.context, first->rows, q.column, q.descending, first->inOrder);
  if (stop.stop_requested()) return;
  const bool all = first->inOrder == first->rows.size();
  auto whole = all ? nullptr : std::make_shared<ListAnswer>(*first);
  give(std::move(first), number);
  if (!whole) return;
  sortList(*q.context, whole->rows, q.column, q.descending, whole->rows.size());
  whole->inOrder = whole->rows.size();
  if (!stop.stop_requested()) give(std::move(whole), number);
}

void ListEngine::give(std::shared_ptr<const ListAnswer> answer, quint64 number) {
  QMetaObject::invokeMethod(
      this,
      [this, answer = std::move(answer), number] {
        if (number == number_) Q_EMIT answered(answer);
      },
      Qt::QueuedConnection);
}

void ListEngine::sum(ContextPtr context, std::shared_ptr<const std::vector<NodeId>> nodes) {
  QMetaObject::invokeMethod(
      summer_,
      [this, context = std::move(context), nodes = std::move(nodes), number = ++sumNumber_] {
        const auto outer = context->gain.outermost(*nodes);
        const ListSums sums{nodes->size(), context->gain.occupiedOf(outer), context->gain.of(outer)};
        QMetaObject::invokeMethod(
            this,
            [this, sums, number] {
              if (number == sumNumber_) Q_EMIT summed(sums);
            },
            Qt::QueuedConnection);
      },
      Qt::QueuedConnection);
}

}  // namespace zt::desktop
