// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/watch.h"

#include <atomic>
#include <future>
#include <mutex>
#include <thread>

namespace zt {

namespace {
using Steady = std::chrono::steady_clock;
constexpr int patienceOfSyncs = 15;
}  // namespace

struct Watch::Pulse {
  explicit Pulse(std::chrono::milliseconds most) : patience(most) {}
  const std::chrono::milliseconds patience;
  std::atomic<Steady::rep> last{0};
  std::atomic<int> times{1};  ///< how many times the patience the call under way may take
  std::atomic<bool> shut{false};
  std::mutex mutex;
  bool asking = false;

  void tick(int allowed = 1) {
    times.store(allowed, std::memory_order_relaxed);
    last.store(Steady::now().time_since_epoch().count(), std::memory_order_relaxed);
  }
  /// A call that is a sign of life before and after, and is not made any more once all was given up.
  template <class Call>
  auto told(Call& call, int allowed) -> decltype(call()) {
    if (shut) return fail(Errc::unanswered, "step");
    tick(allowed);
    auto answer = call();
    tick();
    return answer;
  }
  /// Gives up what has been silent for too long; never between two calls.
  bool giveUp() {
    const std::scoped_lock lock(mutex);
    // Between two calls the runner itself is at work, and uses what it must not lose.
    const Steady::duration silent = Steady::now().time_since_epoch() - Steady::duration(last.load());
    if (!asking || silent <= patience * times.load()) return false;
    shut = true;
    return true;
  }
};

class Watch::Listing final : public ForwardingSink {
public:
  Listing(ScanSink& next, Pulse& pulse) : ForwardingSink(next), pulse_(pulse) {}
  bool take(std::span<const ScannedEntry> entries) override {
    pulse_.tick();
    return !pulse_.shut && next_.take(entries);
  }
  void answered() override {
    pulse_.tick();
    next_.answered();
  }

private:
  Pulse& pulse_;
};

class Watch::Reading final : public OpenedFile {
public:
  Reading(OpenedFilePtr file, std::shared_ptr<Pulse> pulse)
      : file_(std::move(file)), pulse_(std::move(pulse)) {}
  Result<EntryStat> stat() override { return pulse_->tick(), file_->stat(); }
  Result<std::size_t> read(Bytes offset, std::span<char> into) override {
    pulse_->tick();
    if (pulse_->shut) return fail(Errc::unanswered, "read");
    return file_->read(offset, into);
  }
  Result<Stretch> nextData(Bytes offset) override { return pulse_->tick(), file_->nextData(offset); }
  void letGo(Stretch read) override { file_->letGo(read); }
  OpenedFile& reader() override { return file_->reader(); }

private:
  OpenedFilePtr file_;
  std::shared_ptr<Pulse> pulse_;
};

class Watch::Making final : public MadeFile {
public:
  Making(MadeFilePtr file, std::shared_ptr<Pulse> pulse) : file_(std::move(file)), pulse_(std::move(pulse)) {}
  Result<EntryStat> stat() override { return pulse_->tick(), file_->stat(); }
  Result<void> write(Bytes offset, std::span<const char> bytes) override {
    return told([&] { return file_->write(offset, bytes); });
  }
  Result<Bytes> copy(OpenedFile& from, Stretch what) override {
    return told([&] { return file_->copy(from, what); }, patienceOfSyncs);
  }
  Result<Bytes> shareWith(OpenedFile& other, Stretch what) override {
    return told([&] { return file_->shareWith(other, what); }, patienceOfSyncs);
  }
  Result<void> storeLike(OpenedFile& other) override {
    return told([&] { return file_->storeLike(other); });
  }
  Result<void> punch(Stretch what) override {
    return told([&] { return file_->punch(what); });
  }
  Result<void> setLength(Bytes length) override {
    return told([&] { return file_->setLength(length); });
  }
  Result<void> lock() override {
    return told([&] { return file_->lock(); });
  }
  Result<void> sync() override {
    return told([&] { return file_->sync(); }, patienceOfSyncs);
  }

private:
  template <class Call>
  auto told(Call call, int allowed = 1) -> decltype(call()) {
    return pulse_->told(call, allowed);
  }
  MadeFilePtr file_;
  std::shared_ptr<Pulse> pulse_;
};

class Watch::Files final : public ForwardingFileSystem {
public:
  Files(FileSystemPtr inner, std::shared_ptr<Pulse> pulse)
      : ForwardingFileSystem(std::move(inner)), pulse_(std::move(pulse)) {}

  Result<FolderPtr> openRoot(const PathBytes& path) override {
    return told([&] { return inner_.openRoot(path); });
  }
  Result<FolderPtr> openFolder(const Folder& at, std::string_view name) override {
    return told([&] { return inner_.openFolder(at, name); });
  }
  Result<FolderPtr> openBeneath(const Folder& root, std::string_view relative) override {
    return told([&] { return inner_.openBeneath(root, relative); });
  }
  Result<EntryStat> stat(const Folder& at, std::string_view name) override {
    return told([&] { return inner_.stat(at, name); });
  }
  Result<void> scan(const Folder& at, ScanSink& sink) override {
    Listing listing(sink, *pulse_);
    return told([&] { return inner_.scan(at, listing); });
  }
  Result<std::string> readFile(const Folder& at, std::string_view name, std::size_t limit) override {
    return told([&] { return inner_.readFile(at, name, limit); });
  }
  Result<FileHead> readHead(const Folder& at, std::string_view name, std::size_t count) override {
    return told([&] { return inner_.readHead(at, name, count); });
  }
  Result<OpenedFilePtr> openFile(const Folder& at, std::string_view name) override {
    auto file = told([&] { return inner_.openFile(at, name); });
    if (!file) return file;
    return OpenedFilePtr(std::make_unique<Reading>(std::move(*file), pulse_));
  }
  Result<SpaceUsage> usage(const Folder& at) override {
    return told([&] { return inner_.usage(at); });
  }
  Result<MadeFilePtr> createFile(const Folder& at, std::string_view name, std::uint32_t mode) override {
    return making(told([&] { return inner_.createFile(at, name, mode); }));
  }
  Result<MadeFilePtr> openToChange(const Folder& at, std::string_view name) override {
    return making(told([&] { return inner_.openToChange(at, name); }));
  }
  Result<void> link(const Folder& from, std::string_view name, const Folder& to,
                    std::string_view newName) override {
    return told([&] { return inner_.link(from, name, to, newName); });
  }
  Result<void> makeSymlink(const Folder& at, std::string_view name, const PathBytes& target) override {
    return told([&] { return inner_.makeSymlink(at, name, target); });
  }
  Result<void> setTimes(const Folder& at, std::string_view name, TimeNs accessed, TimeNs modified) override {
    return told([&] { return inner_.setTimes(at, name, accessed, modified); });
  }
  Result<void> setOwner(const Folder& at, std::string_view name, std::uint32_t owner,
                        std::uint32_t group) override {
    return told([&] { return inner_.setOwner(at, name, owner, group); });
  }
  Result<void> setMode(const Folder& at, std::string_view name, std::uint32_t mode) override {
    return told([&] { return inner_.setMode(at, name, mode); });
  }
  Result<void> setAttribute(const Folder& at, std::string_view name, const std::string& key,
                            const std::optional<std::string>& value) override {
    return told([&] { return inner_.setAttribute(at, name, key, value); });
  }
  Result<void> makeFolder(const Folder& at, std::string_view name, std::uint32_t mode) override {
    return told([&] { return inner_.makeFolder(at, name, mode); });
  }
  Result<void> rename(const Folder& from, std::string_view name, const Folder& to,
                      std::string_view newName) override {
    return told([&] { return inner_.rename(from, name, to, newName); });
  }
  Result<void> unlink(const Folder& at, std::string_view name) override {
    return told([&] { return inner_.unlink(at, name); });
  }
  Result<void> removeFolder(const Folder& at, std::string_view name) override {
    return told([&] { return inner_.removeFolder(at, name); });
  }
  Result<void> appendFile(const Folder& at, std::string_view name, std::string_view bytes) override {
    return told([&] { return inner_.appendFile(at, name, bytes); }, patienceOfSyncs);
  }
  Result<void> syncFolder(const Folder& at) override {
    return told([&] { return inner_.syncFolder(at); }, patienceOfSyncs);
  }
  Result<void> syncAll(const Folder& at) override {
    return told([&] { return inner_.syncAll(at); }, patienceOfSyncs);
  }

private:
  Result<MadeFilePtr> making(Result<MadeFilePtr> made) {
    if (!made) return made;
    return MadeFilePtr(std::make_unique<Making>(std::move(*made), pulse_));
  }
  template <class Call>
  auto told(Call call, int allowed = 1) -> decltype(call()) {
    return pulse_->told(call, allowed);
  }
  std::shared_ptr<Pulse> pulse_;
};

Watch::Watch(std::chrono::milliseconds patience) : pulse_(std::make_shared<Pulse>(patience)) {}

FileSystemPtr Watch::over(FileSystemPtr files) const {
  return std::make_shared<Files>(std::move(files), pulse_);
}

std::function<void()> Watch::alive() const {
  return [pulse = pulse_] { pulse->tick(); };
}

void Watch::enter(Pulse& pulse) {
  const std::scoped_lock lock(pulse.mutex);
  pulse.tick();
  pulse.asking = true;
}

void Watch::leave(Pulse& pulse) {
  const std::scoped_lock lock(pulse.mutex);
  if (pulse.shut) throw GivenUp{};
  pulse.asking = false;
}

std::shared_ptr<void> Watch::hold(Pulse& pulse) {
  // Locked by hand: the lock is given out, and outlives this function.
  pulse.mutex.lock();
  if (pulse.shut) {
    pulse.mutex.unlock();
    throw GivenUp{};
  }
  return {&pulse, [](void* held) {
            auto& mine = *static_cast<Pulse*>(held);
            mine.tick();
            mine.mutex.unlock();
          }};
}

bool Watch::call(std::function<void()> work) {
  return run([work = std::move(work), pulse = pulse_] {
    enter(*pulse);
    work();
    leave(*pulse);
  });
}

bool Watch::run(std::function<void()> work) {
  if (pulse_->shut) return false;
  std::promise<void> done;
  auto ready = done.get_future();
  std::thread other([work = std::move(work), done = std::move(done)]() mutable {
    try {
      work();
      done.set_value();
    } catch (const GivenUp&) {
      // Nobody waits for this thread any more; what it promised is gone with whoever asked.
      return;
    } catch (...) {
      done.set_exception(std::current_exception());
    }
  });
  constexpr std::chrono::milliseconds look{20};
  while (ready.wait_for(look) != std::future_status::ready)
    if (pulse_->giveUp()) return other.detach(), false;
  other.join();
  ready.get();
  return true;
}

}  // namespace zt
