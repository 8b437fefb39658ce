// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "core/detect/detector.h"
#include "core/finds/find_list.h"
#include "core/job/job_file.h"
#include "core/job/sites/site.h"
#include "core/match/contents.h"

namespace zt {

/// The survey of a job, what was found in it, and how both are kept. Surveys, contexts and lists of finds are
/// given out as shared values that never change. One thread at a time.
class SurveyStore {
public:
  SurveyStore(const Workshop& workshop, JobFile& file) : workshop_(workshop), file_(file) {}

  /// Everything that belongs to one survey.
  struct Content {
    SurveyPtr survey;
    ContextPtr context;
    std::shared_ptr<const FindList> finds;
    std::vector<DetectorProblem> problems;
    /// What was read of contents; empty before anything was.
    Contents contents;
    /// The finds of each kind of contents, in the order of their table, where nobody said anything.
    std::vector<ContentFinds::Ptr> ofContents;
  };

  const SurveyPtr& survey() const { return now_.survey; }  ///< nullptr before the first
  const ContextPtr& context() const { return now_.context; }
  const std::shared_ptr<const FindList>& finds() const { return now_.finds; }
  /// Detectors that could not do their work.
  const std::vector<DetectorProblem>& problems() const { return now_.problems; }
  const Find* find(std::string_view id) const;

  /// What is told while finds are made.
  struct Watch {
    std::stop_token stop;
    /// A find has come; with the context that it is of. On a detector's thread, one at a time.
    std::function<void(const ContextPtr&, const Find&)> found;
  };
  /// A survey made ready to be kept: finds and the saved form are worked out side by side. Changes nothing
  /// here. Fails with cancelled if it was stopped before all detectors were through.
  struct Prepared {
    Content content;
    std::vector<std::string> pieces;  ///< empty for a job in memory
    std::vector<std::string> rows;
  };
  Result<Prepared> prepare(const Site& site, SurveyPtr survey, const Watch& watch) const;
  /// Writes it with the documents that belong to it, and only then takes its place.
  Result<void> keep(Prepared prepared, const JobFile::Documents& documents);
  /// Reads what the file keeps; nothing if there is none.
  Result<void> load(const Site& site);

  /// The finds, by their ids, for entries that someone picked; made where there are none. Fails with bedrock,
  /// notThere, outsideRoot; then none is made.
  Result<std::vector<std::string>> pick(const std::vector<PathBytes>& paths);
  /// Finds for entries, made all at once.
  void addPicked(const std::vector<NodeId>& nodes);
  /// Lets the finds stand as the marks say: without what somebody keeps.
  void applyMarks(const Marks& marks);
  /// The finds of a survey as marks would let them stand.
  FindList marked(const Content& content, const Marks& marks) const;
  /// Takes what comparing contents found; its finds come with the next `applyMarks`.
  /// By which rules one of equal files stays: as the shop has said, else as usual.
  KeeperOrder keeperOrder() const;
  void setContents(Contents contents);
  /// The finds as they were detected, with what was picked, whatever somebody says of them.
  const Content& detected() const { return detected_; }

private:
  /// Of each kind of contents, as marks let them stand.
  std::vector<ContentFinds::Ptr> findsOfContents(const Content& content, const Marks& marks) const;
  ContextPtr contextOf(const Site& site, SurveyPtr survey) const;

  const Workshop& workshop_;
  JobFile& file_;
  Content detected_;
  Content now_;  ///< the same, as the marks let the finds stand
  mutable std::shared_ptr<const KindTable> kinds_;
};

}  // namespace zt
