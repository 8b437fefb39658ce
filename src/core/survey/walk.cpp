// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/walk.h"

#include <algorithm>
#include <condition_variable>
#include <cstring>
#include <thread>

#include "core/os/limits.h"

namespace zt {

namespace {

/// A folder that waits to be listed. Opened from its parent's handle; where handles are short, from the root
/// downwards.
struct FolderTask {
  NodeId node = noNode;
  FolderPtr parent;
};

/// Folders that wait, shared by the workers. Each worker keeps a stack of its own and gives half away when
/// others idle.
class TaskPool {
public:
  explicit TaskPool(unsigned workers) : workers_(workers) {}

  bool othersIdle() const { return idle_.load(std::memory_order_relaxed) > 0; }

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

/// What all workers share.
struct Walk {
  FileSystemReader& files;
  const FolderPtr& root;
  SurveyTree& tree;
  std::uint64_t rootMount;
  std::stop_token stop;
  TaskPool pool;
  std::atomic<Bytes> bytes{0};
  std::size_t openLimit;
};

/// Copies one folder's listing out of the scan's buffers.
class Gather final : public ScanSink {
public:
  explicit Gather(const std::stop_token& stop) : stop_(stop) {}

  void clear() {
    entries_.clear();
    names_.clear();
  }

  bool take(std::span<const ScannedEntry> batch) override {
    for (const ScannedEntry& e : batch) {
      // Names move when the storage grows, so only their sizes are kept until the end.
      names_.append(e.name);
      errors_.push_back(e.error);
      entries_.push_back({{static_cast<const char*>(nullptr), e.name.size()}, e.stat});
    }
    return !stop_.stop_requested();
  }

  std::vector<SurveyTree::Entry>& entries() {
    const char* at = names_.data();
    for (auto& entry : entries_) {
      entry.name = {at, entry.name.size()};
      at += entry.name.size();
    }
    return entries_;
  }
  const std::vector<int>& errors() const { return errors_; }
  void reset() {
    clear();
    errors_.clear();
  }

private:
  const std::stop_token& stop_;
  std::vector<SurveyTree::Entry> entries_;
  std::vector<int> errors_;
  std::string names_;
};

class Worker {
public:
  explicit Worker(Walk& walk) : walk_(walk), gather_(walk.stop) {}

  void run() {
    while (!walk_.stop.stop_requested()) {
      if (stack_.empty() && !walk_.pool.take(stack_, walk_.stop)) return;
      if (stack_.size() > 1 && walk_.pool.othersIdle()) walk_.pool.give(stack_, stack_.size() / 2);
      const FolderTask task = std::move(stack_.back());
      stack_.pop_back();
      visit(task);
    }
    partial = partial || !stack_.empty();
  }

  void visitRoot(const FolderPtr& root) { list(0, root); }

  SurveyTree::Writer writer;
  std::vector<SurveyException> exceptions;
  std::uint64_t timesAtRisk = 0;
  std::uint64_t vanished = 0;
  bool partial = false;
  Error failure;
  bool failed = false;

private:
  void except(SurveyException::Kind kind, NodeId node, int err) { exceptions.push_back({kind, err, node}); }

  void exceptErrno(NodeId node, int err) {
    const bool gone = err == ENOENT;
    vanished += gone;
    except(gone ? SurveyException::Kind::vanished : SurveyException::Kind::unreadable, node, err);
  }

  /// Goes down from the root by single names; for tasks whose parent's handle was given up.
  Result<FolderPtr> openFromRoot(NodeId node) {
    std::vector<NodeId> chain;
    for (NodeId id = node; id != 0; id = walk_.tree.parent(id)) chain.push_back(id);
    FolderPtr at = walk_.root;
    for (auto id = chain.rbegin(); id != chain.rend(); ++id) {
      auto next = walk_.files.openFolder(*at, walk_.tree.name(*id));
      if (!next) return next;
      at = std::move(*next);
    }
    return at;
  }

  void visit(const FolderTask& task) {
    auto opened = task.parent ? walk_.files.openFolder(*task.parent, walk_.tree.name(task.node))
                              : openFromRoot(task.node);
    if (!opened && opened.error().code == Errc::tooManyOpen && task.parent) opened = openFromRoot(task.node);
    if (!opened) return exceptErrno(task.node, opened.error().sysErrno);
    const auto now = walk_.files.stat(**opened, {});
    if (!now) return exceptErrno(task.node, now.error().sysErrno);
    if (now->mountId != walk_.rootMount) return except(SurveyException::Kind::mountedOver, task.node, 0);
    if (now->inode != walk_.tree.inode(task.node))
      return except(SurveyException::Kind::swapped, task.node, 0);
    list(task.node, *opened);
  }

  void list(NodeId node, const FolderPtr& folder) {
    timesAtRisk += !folder->keepsAccessTime();
    gather_.reset();
    const auto listed = walk_.files.scan(*folder, gather_);
    if (!listed) {
      exceptErrno(node, listed.error().sysErrno);
      if (node == 0) failure = listed.error(), failed = true;
    }
    partial = partial || walk_.stop.stop_requested();
    auto& entries = gather_.entries();
    // A mount point shows the mounted root's own figures; they belong to another drive.
    for (auto& entry : entries)
      if (entry.stat.mountId != walk_.rootMount) entry.stat.occupied = entry.stat.length = 0;
    const auto first = walk_.tree.addChildren(writer, node, entries);
    if (!first) {
      partial = true;
      return except(SurveyException::Kind::unreadable, node, EOVERFLOW);
    }
    enter(folder, *first, entries);
  }

  /// Counts the new entries and puts the folders among them on the stack.
  void enter(const FolderPtr& folder, NodeId first, const std::vector<SurveyTree::Entry>& entries) {
    Bytes bytes = 0;
    // Every folder with waiting children keeps one handle; beyond the limit they are reached from the root
    // again.
    FolderPtr keep = handles() >= walk_.openLimit ? nullptr : folder;
    for (std::size_t i = 0; i < entries.size(); ++i) {
      const auto id = first + static_cast<NodeId>(i);
      const EntryStat& stat = entries[i].stat;
      if (gather_.errors()[i] != 0) {
        exceptErrno(id, gather_.errors()[i]);
        continue;
      }
      if (stat.mountId != walk_.rootMount) {
        except(SurveyException::Kind::mountedOver, id, 0);
      } else if (stat.kind == EntryKind::folder) {
        stack_.push_back({id, keep});
        bytes += stat.occupied;
      } else {
        bytes += stat.links > 1 ? stat.occupied / stat.links : stat.occupied;
      }
    }
    walk_.bytes.fetch_add(bytes, std::memory_order_relaxed);
  }

  /// Handles kept by this worker's waiting tasks, counted where the parent changes.
  std::size_t handles() {
    if (stack_.size() < walk_.openLimit) return stack_.size();
    std::size_t count = 0;
    const Folder* last = nullptr;
    for (const auto& task : stack_) {
      count += task.parent && task.parent.get() != last;
      last = task.parent.get();
    }
    return count;
  }

  Walk& walk_;
  Gather gather_;
  std::vector<FolderTask> stack_;
};

/// Runs the workers and reports 20 times a second until they are done.
void runWorkers(Walk& walk, std::vector<std::unique_ptr<Worker>>& workers, const WalkOptions& options,
                ProgressSink* sink) {
  std::mutex mutex;
  std::condition_variable done;
  std::size_t running = workers.size();
  const std::stop_callback wake(walk.stop, [&] { walk.pool.wake(); });
  std::vector<std::jthread> threads;
  for (auto& worker : workers)
    threads.emplace_back([&, w = worker.get()] {
      w->run();
      const std::scoped_lock lock(mutex);
      --running;
      done.notify_all();
    });
  std::unique_lock lock(mutex);
  while (!done.wait_for(lock, std::chrono::milliseconds(50), [&] { return running == 0; }))
    if (sink != nullptr) {
      Progress p;
      p.doneBytes = walk.bytes.load();
      p.totalBytes = options.expectedBytes;
      p.doneItems = walk.tree.size();
      sink->report(p);
    }
}

unsigned workerCount(const WalkOptions& options) {
  if (options.threads > 0) return std::min(options.threads, 64u);
  return std::clamp(std::thread::hardware_concurrency(), 1u, 8u);
}

}  // namespace

Result<void> walk(FileSystemReader& files, const FolderPtr& root, const WalkOptions& options,
                  std::stop_token stop, ProgressSink* progress, Survey& survey) {
  const auto stat = files.stat(*root, {});
  if (!stat) return tl::unexpected(stat.error());
  const unsigned count = workerCount(options);
  const std::size_t openLimit = raiseOpenFileLimit() / (2 * std::size_t{count}) + 1;
  Walk walk{files, root, survey.tree, stat->mountId, stop, TaskPool(count), 0, openLimit};
  std::vector<std::unique_ptr<Worker>> workers;
  for (unsigned i = 0; i < count; ++i) workers.push_back(std::make_unique<Worker>(walk));
  survey.tree.addRoot(workers[0]->writer, *stat);
  workers[0]->visitRoot(root);
  if (workers[0]->failed) return tl::unexpected(workers[0]->failure);
  runWorkers(walk, workers, options, progress);
  std::vector<LinkedNode> linked;
  for (auto& worker : workers) {
    linked.insert(linked.end(), worker->writer.linked.begin(), worker->writer.linked.end());
    survey.exceptions.insert(survey.exceptions.end(), worker->exceptions.begin(), worker->exceptions.end());
    survey.vanished += worker->vanished;
    survey.timesAtRisk += worker->timesAtRisk;
    survey.partial = survey.partial || worker->partial;
  }
  survey.partial = survey.partial || stop.stop_requested();
  survey.tree.finish(std::move(linked));
  return {};
}

}  // namespace zt
