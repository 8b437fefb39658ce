// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <stop_token>

#include "core/finds/find_context.h"

namespace zt {

/// What a detector looks at, beside the survey.
enum class Needs : std::uint8_t {
  survey,   ///< nothing: it works on imported surveys too
  system,   ///< the drive's own records: package lists, trash infos, swaps
  contents  ///< what is in files
};

/// What detectors work on. The drive is there only for those that need it; without it they are left out.
struct DetectInput {
  ContextPtr context;
  std::shared_ptr<FileSystemReader> files;  ///< nullptr where the drive is not at hand
  FolderPtr root;
};

/// Takes what a detector finds, as it finds it. False: nothing more is wanted. Any thread.
using FindSink = std::function<bool(Find)>;

/// Finds things of one kind. Immutable; `detect` may be called from any thread, and side by side with others.
class Detector {
public:
  virtual ~Detector() = default;
  /// The kind of its finds, which is its name everywhere.
  virtual std::string_view id() const = 0;
  virtual Needs needs() const { return Needs::survey; }
  /// Whether it knows sizes and ages only: of what another detector finds too, that one's find stands.
  virtual bool general() const { return false; }
  /// Gives what it finds to `sink`, biggest first where that costs nothing. Ends early when asked to stop.
  /// What it fails with is shown; the other detectors go on.
  virtual Result<void> detect(const DetectInput& input, const FindSink& sink,
                              const std::stop_token& stop) const = 0;
};

/// The detectors at work, by name.
class DetectorTable {
public:
  /// The later of two by one name counts.
  void add(std::shared_ptr<const Detector> detector);
  const std::vector<std::shared_ptr<const Detector>>& all() const { return all_; }

private:
  std::vector<std::shared_ptr<const Detector>> all_;
};

/// The detectors that come with the program.
DetectorTable builtInDetectors();

/// A detector that could not do its work.
struct DetectorProblem {
  std::string detector;
  Error error;
};

struct Detected {
  std::vector<Find> finds;  ///< biggest first
  std::vector<DetectorProblem> problems;
  bool stopped = false;  ///< before all were through
};

/// Runs all detectors side by side. What several found alone stands once, with the other kinds as facts
/// ("also"). `found` (which may be empty) is called with every find as it comes, on
/// the detectors' threads, one at a time.
Detected detectAll(const DetectorTable& table, const DetectInput& input, const std::stop_token& stop,
                   const std::function<void(const Find&)>& found);

}  // namespace zt
