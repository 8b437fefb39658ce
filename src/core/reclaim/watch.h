// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <memory>
#include <optional>
#include <vector>

#include "core/os/forwarding_file_system.h"
#include "core/reclaim/step_executor.h"

namespace zt {

/// Carries out steps on a thread of its own, which is left behind if one of them does not answer: a drive
/// that went away in the middle of a call, a step that waits for what never comes. What was left behind can
/// change nothing more: the file system that it works with is shut. One thread at a time.
class Watch {
public:
  /// `patience`: how long a call may go without an answer; one that writes out what waits in memory, fifteen
  /// times that.
  explicit Watch(std::chrono::milliseconds patience);

  /// A file system whose answers are signs of life, and which answers nothing any more once it was given up.
  FileSystemPtr over(FileSystemPtr files) const;
  /// A sign of life of whoever waits on purpose.
  std::function<void()> alive() const;

  /// `call` for a step to use while it works: a sign of life, and once the step was given up it ends there,
  /// without a look at what `call` refers to. It is not given up while `call` goes on.
  template <class Call>
  auto whileAsked(Call call) const {
    return [pulse = pulse_, call = std::move(call)](auto&&... args) {
      const auto lock = hold(*pulse);
      return call(std::forward<decltype(args)>(args)...);
    };
  }

  /// Does `work` on the other thread and waits for it. False once something that it asked did not answer:
  /// then `work` never goes on behind that `ask`.
  bool run(std::function<void()> work);
  /// As `run`, for work that is itself one call and keeps all that it refers to.
  bool call(std::function<void()> work);

  /// The answer of a call that keeps all that it refers to; `unanswered` if none came.
  template <class Call>
  auto answerOf(Call call) -> decltype(call()) {
    const auto answer = std::make_shared<std::optional<decltype(call())>>();
    if (!this->call([answer, call = std::move(call)] { answer->emplace(call()); }))
      return fail(Errc::unanswered, "step");
    return std::move(**answer);
  }

  /// Within `run`: calls a step with a record of its own, which becomes `record` when the step has answered.
  /// What `call` refers to must live as long as `work` itself, or in its own frame.
  template <class Call>
  Result<void> ask(JournalRecord& record, Call call) {
    return askFor(record, call);
  }
  /// As that, for several records at once.
  template <class Call>
  Result<void> ask(std::vector<JournalRecord>& records, Call call) {
    return askFor(records, call);
  }

private:
  struct Pulse;
  class Files;
  class Reading;
  class Making;
  class Listing;
  struct GivenUp {};
  /// What was given up ends in `leave`, without a look at anything that may be gone by now.
  template <class Records, class Call>
  Result<void> askFor(Records& records, Call& call) {
    const std::shared_ptr<Pulse> pulse = pulse_;
    Records mine = records;
    enter(*pulse);
    Result<void> done = guardedly([&] { return call(mine); });
    leave(*pulse);
    records = std::move(mine);
    return done;
  }
  static void enter(Pulse& pulse);
  static void leave(Pulse& pulse);
  /// Locks out giving up, and ticks when it is let go; throws what ends the thread where that has happened.
  static std::shared_ptr<void> hold(Pulse& pulse);
  std::shared_ptr<Pulse> pulse_;
};

}  // namespace zt
