// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <chrono>
#include <functional>
#include <future>
#include <optional>
#include <stop_token>
#include <thread>
#include <vector>

namespace zt {

/// Does something on a thread that nobody waits for: `work` keeps all that it refers to. For what may hang in
/// a call that nothing can end.
template <class Work>
void leaveBehind(Work work) {
  std::thread(std::move(work)).detach();
}

/// Asks on such a thread; whoever does not want to wait any more lets the answer go.
template <class Ask>
auto askApart(Ask ask) -> std::future<decltype(ask())> {
  std::packaged_task<decltype(ask())()> task(std::move(ask));
  auto answer = task.get_future();
  leaveBehind(std::move(task));
  return answer;
}

/// The answer, if it comes in time and before somebody asks to stop; looked for fifty times a second.
template <class Answer>
std::optional<Answer> answerWithin(std::future<Answer>& answer, std::chrono::milliseconds patience,
                                   const std::stop_token& stop = {}) {
  constexpr std::chrono::milliseconds tick{20};
  for (std::chrono::milliseconds waited{0}; waited <= patience && !stop.stop_requested(); waited += tick)
    if (answer.wait_for(std::min(tick, patience)) == std::future_status::ready) return answer.get();
  return std::nullopt;
}

/// Does `work(part)` for each part below `threads`, side by side, the first on the thread that calls; comes
/// back when all are done. `work` must not throw.
template <class Work>
void fanOut(unsigned threads, const Work& work) {
  std::vector<std::jthread> others;
  for (unsigned part = 1; part < threads; ++part) others.emplace_back([&work, part] { work(part); });
  work(0u);
}

/// As many threads as are worth having for something that keeps processors busy: one to eight.
inline unsigned worthwhileThreads() {
  return std::min(std::max(std::thread::hardware_concurrency(), 1u), 8u);
}

}  // namespace zt
