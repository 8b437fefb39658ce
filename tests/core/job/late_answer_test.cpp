// SPDX-License-Identifier: GPL-3.0-or-later
// A call that hangs comes back when it pleases: long after the job that asked was closed. Run under the
// address and the thread sanitizer, this shows whatever such a call still touches.
#include <gtest/gtest.h>

#include <thread>

#include "core/job/job.h"
#include "support/fakes.h"
#include "support/stuck_file_system.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

bool comesTrue(const std::function<bool()>& what) {
  for (int tries = 0; tries < 5'000 && !what(); ++tries)
    std::this_thread::sleep_for(std::chrono::milliseconds(1));
  return what();
}

/// Stops a measurement in the middle of a call that hangs, closes everything, and only then lets the call
/// end.
void stopAndClose(bool again) {
  TempFolder t;
  t.file("drive/top/stuck/never/file", 5'000);
  t.file("drive/other/file", 5'000);
  Workshop shop = realWorkshop();
  const auto stuck = std::make_shared<StuckFileSystem>(shop.files);
  stuck->open = again;
  shop.files = stuck;
  auto job = Job::create(shop, t / "drive", false, {}).value();
  if (again) {
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    const std::scoped_lock lock(stuck->mutex);
    stuck->open = false;
  }
  std::stop_source stop;
  std::thread stopper([&] {
    std::unique_lock lock(stuck->mutex);
    stuck->changed.wait(lock, [&] { return stuck->waiting > 0; });
    stop.request_stop();
  });
  std::shared_ptr<const LiveSurvey> live;
  {
    Measurer::Options options;
    options.threads = 2;
    options.pause = std::make_shared<PauseGate>();
    options.watch = [&](auto seen) { live = std::move(seen); };
    auto done = again ? job->measurer().measureAgain("top", options, stop.get_token(), nullptr)
                      : job->measurer().measure(options, stop.get_token(), nullptr);
    EXPECT_TRUE(done || done.error().code == Errc::cancelled);
  }
  stopper.join();
  job.reset();
  live.reset();
  shop = {};
  EXPECT_GT(stuck.use_count(), 1) << "the call that hangs keeps what it needs";
  stuck->letGo();
  EXPECT_TRUE(comesTrue([&] { return stuck.use_count() == 1; })) << "and gives it back at its end";
}

TEST(JobThatIsGone, IsNotTouchedByAnAnswerThatComesLate) {
  stopAndClose(false);
}
TEST(JobThatIsGone, IsNotTouchedByAnAnswerOfAFolderMeasuredAgain) {
  stopAndClose(true);
}

}  // namespace
}  // namespace zt::test
