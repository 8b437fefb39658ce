// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure/walk.h"

#include <algorithm>
#include <cstring>
#include <optional>
#include <thread>
#include <utility>

#include "core/base/apart.h"
#include "core/os/linux/limits.h"
#include "core/survey/measure/task_pool.h"

namespace zt {

namespace {

using Steady = std::chrono::steady_clock;
constexpr std::chrono::milliseconds reportEvery{50};
constexpr std::chrono::milliseconds stopWithin{60};

/// What all workers share. Kept alive by every worker's thread.
struct Walk {
  std::shared_ptr<FileSystemReader> files;
  FolderPtr root;
  std::shared_ptr<Survey> survey;
  GrowingTree& tree;
  std::uint64_t rootMount;
  std::stop_source ended;  ///< by the caller, or because nothing answers any more
  std::stop_token stop;    ///< of `ended`
  WalkOptions options;
  TaskPool pool;
  std::size_t openLimit;
  std::atomic<Bytes> bytes{0};
  std::atomic<unsigned> unanswered{0};  ///< calls given up since the last answer
  std::mutex mutex;                     ///< guards what follows
  std::condition_variable done;
  std::size_t running = 0;
  AgeSizeField field;
};

/// Takes one folder's listing into the columns of the tree, and notes what is out of the ordinary.
class Gather final : public ScanSink {
public:
  /// `since` is when the call at hand began; each answer is a new beginning.
  Gather(Walk& walk, std::atomic<Steady::rep>& since) : walk_(walk), since_(since) {}

  void answered() override {
    since_.store(Steady::now().time_since_epoch().count(), std::memory_order_relaxed);
  }

  bool take(std::span<const ScannedEntry> batch) override {
    const TimeNs now = walk_.options.now;
    for (const ScannedEntry& e : batch) {
      if (e.error != 0) {
        errors.emplace_back(listing.size(), e.error);
        closed.push_back(listing.size());
        walk_.tree.stage(writer, listing, e.name, e.stat);
      } else if (e.stat.mountId != walk_.rootMount) {
        // A mount point shows the mounted root's own figures; they belong to another drive.
        EntryStat shown = e.stat;
        shown.occupied = shown.length = 0;
        mounted.push_back(listing.size());
        closed.push_back(listing.size());
        walk_.tree.stage(writer, listing, e.name, shown);
      } else {
        if (e.stat.point) closed.push_back(listing.size());
        const Bytes inRecords = walk_.options.block == 0 ? 0 : e.stat.occupied % walk_.options.block;
        if (inRecords == 0) {
          walk_.tree.stage(writer, listing, e.name, e.stat);
        } else {
          EntryStat shown = e.stat;
          shown.occupied -= inRecords;
          walk_.tree.stage(writer, listing, e.name, shown);
        }
        if (now != 0 && e.stat.kind == EntryKind::file)
          field.add(e.stat.modified, e.stat.occupied - inRecords, now);
      }
    }
    return !walk_.stop.stop_requested();
  }

  void folder(std::uint64_t inode) override { self = inode; }

  void reset() {
    self = 0;
    listing.clear();
    errors.clear();
    mounted.clear();
    closed.clear();
  }

  GrowingTree::Writer writer;
  GrowingTree::Listing listing;
  std::uint64_t self = 0;  ///< inode of the folder, as its listing says
  AgeSizeField field;
  std::vector<std::pair<NodeId, int>> errors;  ///< row and errno
  std::vector<NodeId> mounted;                 ///< rows
  std::vector<NodeId> closed;                  ///< rows that are not gone into, whatever the reason

private:
  Walk& walk_;
  std::atomic<Steady::rep>& since_;
};

/// Lists folders one after another on a thread of its own. `mutex` is held but for the calls to the file
/// system, which may hang: then the walk takes the rest of the work away and goes on without this worker.
class Worker {
public:
  Worker(std::shared_ptr<Walk> walk, std::vector<FolderTask> tasks)
      : walk_(std::move(walk)), gather_(*walk_, callSince_), stack_(std::move(tasks)) {}

  static void start(const std::shared_ptr<Worker>& worker) {
    worker->thread_ = std::thread([worker] {
      worker->run();
      const std::scoped_lock lock(worker->walk_->mutex);
      if (!worker->abandoned_) --worker->walk_->running;
      worker->walk_->done.notify_all();
    });
  }
  void join() { thread_.join(); }

  /// If a call has hung for longer than `most`: gives up on this worker and hands its waiting folders over.
  std::optional<std::vector<FolderTask>> abandonIfHung(std::chrono::milliseconds most) {
    const auto since = callSince_.load();
    if (since == 0 || Steady::now().time_since_epoch().count() - since < Steady::duration(most).count())
      return std::nullopt;
    const std::unique_lock lock(mutex_, std::try_to_lock);
    // Whoever holds the lock while a call is under way knows that it has not come back.
    if (!lock || callSince_.load() == 0 || abandoned_) return std::nullopt;
    {
      const std::scoped_lock shared(walk_->mutex);
      abandoned_ = true;
    }
    except(SurveyException::Kind::unanswered, current_, 0);
    partial = partial || walk_->stop.stop_requested();
    thread_.detach();
    return std::move(stack_);
  }
  bool abandoned() const { return abandoned_; }

  GrowingTree::Writer& writer() { return gather_.writer; }
  std::vector<SurveyException> exceptions;
  std::uint64_t timesAtRisk = 0;
  std::uint64_t vanished = 0;
  bool partial = false;
  std::optional<Error> failure;

private:
  void run() {
    std::unique_lock lock(mutex_);
    while (!walk_->stop.stop_requested()) {
      if (walk_->options.pause != nullptr) walk_->options.pause->pass(walk_->stop);
      if (stack_.empty() && !walk_->pool.take(stack_, walk_->stop)) break;
      if (stack_.size() > 1 && walk_->pool.othersIdle()) walk_->pool.give(stack_, stack_.size() / 2);
      const FolderTask task = std::move(stack_.back());
      stack_.pop_back();
      visit(task, lock);
      if (abandoned_) return;
    }
    partial = partial || !stack_.empty();
    flushField();
  }

  void except(SurveyException::Kind kind, NodeId node, int err) { exceptions.push_back({kind, err, node}); }

  void exceptErrno(NodeId node, int err) {
    const bool gone = err == ENOENT;
    vanished += gone;
    except(gone ? SurveyException::Kind::vanished : SurveyException::Kind::unreadable, node, err);
  }

  /// Goes down from the root by single names; for tasks whose parent's handle was given up.
  Result<FolderPtr> openFromRoot(NodeId node) {
    std::vector<NodeId> chain;
    for (NodeId id = node; id != 0; id = walk_->tree.parent(id)) chain.push_back(id);
    FolderPtr at = walk_->root;
    for (auto id = chain.rbegin(); id != chain.rend(); ++id) {
      auto next = walk_->files->openFolder(*at, walk_->tree.name(*id));
      if (!next) return next;
      gather_.answered();
      at = std::move(*next);
    }
    return at;
  }

  Result<FolderPtr> open(const FolderTask& task) {
    if (task.node == 0) return walk_->root;
    auto opened = task.parent ? walk_->files->openFolder(*task.parent, walk_->tree.name(task.node))
                              : openFromRoot(task.node);
    if (!opened && opened.error().code == Errc::tooManyOpen && task.parent) opened = openFromRoot(task.node);
    return opened;
  }

  /// What the file system said of one folder.
  struct Visited {
    FolderPtr folder;
    SurveyException::Kind problem = SurveyException::Kind::vanished;
    int err = 0;
    bool entered = false;
    std::optional<Error> listing;
  };

  Visited look(const FolderTask& task) {
    Visited v;
    auto opened = open(task);
    if (!opened && opened.error().code == Errc::otherDevice)
      return v.problem = SurveyException::Kind::mountedOver, v;
    if (!opened) return v.err = opened.error().sysErrno, v;
    gather_.reset();
    if (const auto listed = walk_->files->scan(**opened, gather_); !listed) v.listing = listed.error();
    // The listing names the folder itself too; only where that does not agree a call is spent on it.
    const std::uint64_t expected = walk_->tree.inode(task.node);
    if (task.node != 0 && gather_.self != expected) {
      const auto now = walk_->files->stat(**opened, {});
      if (!now) return v.err = now.error().sysErrno, v;
      if (now->inode != expected) return v.problem = SurveyException::Kind::swapped, v;
    }
    v.folder = std::move(*opened);
    v.entered = true;
    return v;
  }

  void visit(const FolderTask& task, std::unique_lock<std::mutex>& lock) {
    current_ = task.node;
    callSince_ = Steady::now().time_since_epoch().count();
    lock.unlock();
    const Visited v = look(task);
    lock.lock();
    if (abandoned_) return;
    callSince_ = 0;
    walk_->unanswered.store(0, std::memory_order_relaxed);
    if (!v.entered && v.problem != SurveyException::Kind::vanished) return except(v.problem, task.node, 0);
    if (!v.entered) return exceptErrno(task.node, v.err);
    if (v.listing) exceptErrno(task.node, v.listing->sysErrno);
    if (v.listing && task.node == 0) failure = v.listing;
    commit(task.node, v.folder);
  }

  void commit(NodeId node, const FolderPtr& folder) {
    timesAtRisk += !folder->keepsAccessTime();
    partial = partial || walk_->stop.stop_requested();
    const Bytes bytes = gather_.listing.bytes();
    const NodeId count = gather_.listing.size();
    auto folders = std::exchange(folders_, {});
    folders.assign(gather_.listing.folders().begin(), gather_.listing.folders().end());
    const auto first = walk_->tree.addChildren(gather_.writer, node, gather_.listing);
    if (!first) {
      partial = true;
      return except(SurveyException::Kind::unreadable, node, EOVERFLOW);
    }
    enter(folder, *first, folders);
    folders_ = std::move(folders);
    walk_->bytes.fetch_add(bytes, std::memory_order_relaxed);
    unflushed_ += count;
    if (unflushed_ > 1000) flushField();
  }

  /// Notes what is out of the ordinary and puts the new folders on the stack.
  void enter(const FolderPtr& folder, NodeId first, const std::vector<NodeId>& folders) {
    for (const auto& [row, err] : gather_.errors) exceptErrno(first + row, err);
    for (const NodeId row : gather_.mounted) except(SurveyException::Kind::mountedOver, first + row, 0);
    // Every folder with waiting children keeps one handle; beyond the limit they are reached from the root
    // again.
    const FolderPtr keep = handles() >= walk_->openLimit ? nullptr : folder;
    // Both lists are in the order of the rows.
    auto closed = gather_.closed.begin();
    for (const NodeId row : folders) {
      while (closed != gather_.closed.end() && *closed < row) ++closed;
      if (closed == gather_.closed.end() || *closed != row) stack_.push_back({first + row, keep});
    }
  }

  void flushField() {
    if (unflushed_ == 0 || walk_->options.now == 0) return;
    const std::scoped_lock lock(walk_->mutex);
    walk_->field.add(gather_.field);
    gather_.field = {};
    unflushed_ = 0;
  }

  /// Handles kept by this worker's waiting tasks, counted where the parent changes.
  std::size_t handles() {
    if (stack_.size() < walk_->openLimit) return stack_.size();
    std::size_t count = 0;
    const Folder* last = nullptr;
    for (const auto& task : stack_) {
      count += task.parent && task.parent.get() != last;
      last = task.parent.get();
    }
    return count;
  }

  std::shared_ptr<Walk> walk_;
  std::thread thread_;
  std::mutex mutex_;
  std::atomic<Steady::rep> callSince_{0};  ///< steady time at which the present call began; 0 between calls
  bool abandoned_ = false;                 ///< written under both mutexes
  NodeId current_ = 0;
  Gather gather_;
  std::vector<FolderTask> stack_;
  std::vector<NodeId> folders_;  ///< only to keep its memory
  std::size_t unflushed_ = 0;
};

using Workers = std::vector<std::shared_ptr<Worker>>;

/// Replaces workers whose call hangs; once a stop was asked for, does without them. When call after call
/// hangs and none is answered, the drive is dead: the walk ends.
void replaceHung(const std::shared_ptr<Walk>& walk, Workers& workers, Steady::time_point stopSeen) {
  const unsigned mostUnanswered = 2 * walk->pool.workers();
  const bool stopping = walk->stop.stop_requested();
  // Once a stop was asked for, a call gets its time from then on, whether answers come or not.
  if (stopping && Steady::now() - stopSeen < stopWithin) return;
  const auto most = stopping ? std::chrono::milliseconds(0) : walk->options.patience;
  for (std::size_t i = 0, count = workers.size(); i < count; ++i) {
    auto tasks = workers[i]->abandonIfHung(most);
    if (!tasks) continue;
    if (++walk->unanswered >= mostUnanswered) walk->ended.request_stop();
    if (walk->stop.stop_requested()) {
      const std::scoped_lock lock(walk->mutex);
      --walk->running;
      continue;
    }
    workers.push_back(std::make_shared<Worker>(walk, std::move(*tasks)));
    Worker::start(workers.back());
  }
}

void report(Walk& walk, LiveSurvey* live, ProgressSink* sink, Steady::time_point& nextLive) {
  const auto begun = Steady::now();
  if (live != nullptr && begun >= nextLive) {
    AgeSizeField field;
    {
      const std::scoped_lock lock(walk.mutex);
      field = walk.field;
    }
    live->update(field);
    // At most a fiftieth of one core goes into watching.
    nextLive = Steady::now() + 50 * (Steady::now() - begun);
  }
  if (sink == nullptr) return;
  Progress p;
  p.doneBytes = walk.bytes.load();
  p.totalBytes = walk.options.expectedBytes;
  p.doneItems = walk.tree.size();
  sink->report(p);
}

/// Runs the workers and reports 20 times a second until they are done.
void runWorkers(const std::shared_ptr<Walk>& walk, Workers& workers, LiveSurvey* live, ProgressSink* sink) {
  const std::stop_callback wake(walk->stop, [&] {
    walk->pool.wake();
    const std::scoped_lock lock(walk->mutex);
    walk->done.notify_all();
  });
  walk->running = workers.size();
  for (const auto& worker : workers) Worker::start(worker);
  Steady::time_point nextLive{};
  auto stopSeen = Steady::time_point::max();
  for (;;) {
    {
      std::unique_lock lock(walk->mutex);
      const auto tick = walk->stop.stop_requested() ? std::chrono::milliseconds(5) : reportEvery;
      if (walk->done.wait_for(lock, tick, [&] { return walk->running == 0; })) break;
    }
    if (walk->stop.stop_requested()) stopSeen = std::min(stopSeen, Steady::now());
    replaceHung(walk, workers, stopSeen);
    if (!walk->stop.stop_requested()) report(*walk, live, sink, nextLive);
  }
  for (const auto& worker : workers)
    if (!worker->abandoned()) worker->join();
}

unsigned workerCount(const WalkOptions& options) {
  if (options.threads > 0) return std::min(options.threads, 64u);
  return worthwhileThreads();
}

}  // namespace

Result<void> walk(const std::shared_ptr<FileSystemReader>& files, const FolderPtr& root,
                  const WalkOptions& options, std::stop_token stop, ProgressSink* progress,
                  const std::shared_ptr<Survey>& survey) {
  const auto stat = files->stat(*root, {});
  if (!stat) return tl::unexpected(stat.error());
  const unsigned count = workerCount(options);
  const std::size_t openLimit = raiseOpenFileLimit() / (2 * std::size_t{count}) + 1;
  const std::shared_ptr<Walk> walk(new Walk{files,
                                            root,
                                            survey,
                                            survey->tree,
                                            stat->mountId,
                                            {},
                                            {},
                                            options,
                                            TaskPool(count),
                                            openLimit,
                                            0,
                                            0,
                                            {},
                                            {},
                                            0,
                                            {}});
  walk->stop = walk->ended.get_token();
  const std::stop_callback end(stop, [walk] { walk->ended.request_stop(); });
  Workers workers;
  for (unsigned i = 0; i < count; ++i)
    workers.push_back(std::make_shared<Worker>(walk, std::vector<FolderTask>{}));
  survey->tree.addRoot(workers[0]->writer(), *stat);
  std::vector<FolderTask> first{{0, nullptr}};
  walk->pool.give(first, 1);
  std::shared_ptr<LiveSurvey> live;
  if (options.watch) {
    live = std::make_shared<LiveSurvey>(survey);
    options.watch(live);
  }
  runWorkers(walk, workers, live.get(), progress);
  if (live) live->update(walk->field);
  std::vector<LinkedNode> linked;
  for (auto& worker : workers) {
    if (worker->failure) return tl::unexpected(*worker->failure);
    auto& own = worker->writer().linked;
    linked.insert(linked.end(), own.begin(), own.end());
    survey->exceptions.insert(survey->exceptions.end(), worker->exceptions.begin(), worker->exceptions.end());
    survey->vanished += worker->vanished;
    survey->timesAtRisk += worker->timesAtRisk;
    survey->partial = survey->partial || worker->partial;
  }
  survey->partial = survey->partial || walk->stop.stop_requested();
  survey->tree.finish(std::move(linked));
  return {};
}

}  // namespace zt
