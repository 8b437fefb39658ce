// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <memory>
#include <optional>

#include "core/reclaim/run.h"

namespace SQLite {
class Database;
}

namespace zt {

/// The SQLite file of a job (`*.ztjob`, docs/formats/job.md), and the journal of its runs. Every write is a
/// transaction that has reached the device when the call returns. One thread at a time; one process at a time
/// (others get `busy`).
class JobFile final : public Journal {
public:
  /// A new file; fails with taken if there is one already. An empty path keeps the job in memory only.
  static Result<std::unique_ptr<JobFile>> create(const PathBytes& path);
  /// An existing one, brought to this version if an earlier one wrote it: fails with notThere, notOurs,
  /// tooNew, corrupt (checked through and through), busy.
  static Result<std::unique_ptr<JobFile>> open(const PathBytes& path);
  ~JobFile() override;

  /// Small documents by name: site, targets, marks, plan, proof. All of them in one transaction.
  using Documents = std::map<std::string, std::string>;
  Result<void> put(const Documents& documents);
  Result<std::optional<std::string>> get(const std::string& key);

  /// Keeps the first survey as the baseline and the newest one; those between go. The documents that belong
  /// to the new survey are written with it.
  Result<void> putSurvey(const std::vector<std::string>& pieces, const std::vector<std::string>& finds,
                         TimeNs taken, const Documents& documents);
  Result<std::vector<std::string>> newestSurvey();
  Result<std::vector<std::string>> finds();

  struct RunRow {
    std::int64_t id = 0;
    TimeNs started = 0;
    TimeNs finished = 0;  ///< 0 while it runs or when it was cut short
    Bytes freeBefore = 0;
    std::string plan;     ///< JSON
    std::string outcome;  ///< JSON; empty until it ended
  };
  Result<std::int64_t> beginRun(TimeNs now, Bytes freeBefore, const std::string& plan);
  Result<void> endRun(std::int64_t run, TimeNs now, const std::string& outcome);
  /// All runs, oldest first.
  Result<std::vector<RunRow>> runs();

  /// What the drive's counter rose by for a line of a run, in the run itself or at a release or put-back
  /// since.
  struct Credit {
    std::int64_t run = 0;
    std::string line;
    SignedBytes rose = 0;
  };
  Result<void> addCredits(const std::vector<Credit>& credits);
  Result<std::vector<Credit>> credits();

  Result<void> write(std::span<const JournalRecord> records) override;
  /// Records of one run (0: of all), in order, that are in one of the states (none: any).
  Result<std::vector<JournalRecord>> records(std::int64_t run, std::span<const ItemState> states);

  const PathBytes& path() const { return path_; }
  /// For tests and careful users: the file may not grow beyond this; a write that would gives noSpace.
  void limitPages(int pages);

private:
  JobFile(PathBytes path, std::unique_ptr<SQLite::Database> db);
  PathBytes path_;
  std::unique_ptr<SQLite::Database> db_;
};

}  // namespace zt
