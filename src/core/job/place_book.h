// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/find_context.h"
#include "core/finds/marks.h"
#include "core/job/job_file.h"
#include "core/job/register.h"
#include "core/job/sites/site.h"

namespace zt {

/// The place that a job is about, the job's own name, the latest reading of the drive's counter, and how
/// these are kept. One thread at a time.
class PlaceBook {
public:
  PlaceBook(const Workshop& workshop, JobFile& file);

  const Site& site() const { return *site_; }
  const std::string& identity() const { return identity_; }
  /// Fails with why the place is closed: away, changed, imported.
  Result<void> checkHere(std::string_view operation) const;
  /// Reads the drive's facts anew before a measurement; fails like checkHere, and with changed.
  Result<void> refresh(std::string_view operation);

  /// Takes a place that is here, as the register overrules it, and reads its counter.
  Result<void> take(SitePtr site);
  void takeImported(const Survey& survey);
  /// Takes the place that the file knows: as it is now, wherever its drive is mounted, or as it is remembered
  /// where that is not here or another drive lies there. `kept` reads the kept survey, which alone tells what
  /// an imported place is.
  Result<void> load(const std::function<Result<SurveyPtr>(const Site&)>& kept);
  /// Its documents, saying whether the survey is stale.
  JobFile::Documents documents(bool stale) const;

  struct Reading {
    Bytes free = 0;  ///< available bytes
    Bytes capacity = 0;
    CounterRise rise;
    TimeNs when = 0;
    bool stale = false;  ///< an action has changed the drive since the survey
  };
  const Reading& reading() const { return reading_; }
  Result<void> readAgain();
  /// The figures of a survey that was kept earlier; for a place that cannot be read.
  void remember(const Survey& survey);
  /// Whether the place was measured with rights: then it always is, or what was seen would seem to be gone.
  bool withRights() const { return withRights_; }
  void setWithRights() { withRights_ = true; }
  /// What follows on every change of the drive: its figures are read anew, and the survey is stale.
  /// `answers`: whether it may be asked.
  Result<void> afterChange(bool answers = true);
  /// The figures of a survey that was kept just now.
  void adopt(const Survey& survey);

  /// To be had as long as the drive is changed, so that no rule and no other window does meanwhile. Fails
  /// with busy; where there is no register nobody is kept out.
  Result<std::shared_ptr<void>> lock() const;
  /// Notes the visit in the register, with what it counted.
  void noteVisit(const FindContext& measured) const;
  /// Notes what a run brought, or a proof said, by the drive's own counter.
  void noteVisit(VisitKind kind, Bytes promised, SignedBytes rose) const;
  /// Notes the large files of the drive, for visits to other drives. Any thread, while the place stays.
  void noteLargeFiles(const Survey& survey) const;
  /// What comparing told of large files, for visits to other drives.
  void noteContents(const Survey& survey, const std::vector<std::pair<NodeId, Digest>>& read) const;
  /// Lengths of files that other drives have, ascending; at least `worthKnowingElsewhere`.
  std::vector<Bytes> lengthsElsewhere() const;
  /// Notes in the register what is said of these paths now.
  void noteMarks(const Marks& marks, const std::vector<PathBytes>& paths) const;
  /// What earlier visits to this drive said of things in this place.
  Marks marksOfEarlierVisits() const;
  /// What this job has lent and not paid back, so that it is seen without the job, too.
  void noteLoans(const std::vector<JournalRecord>& open) const;
  void noteHolds(const std::vector<JournalRecord>& held) const;

private:
  Result<void> loadIdentity();
  PathBytes belowTop() const;

  const Workshop& workshop_;
  JobFile& file_;
  SitePtr site_;
  std::string identity_;
  Reading reading_;
  bool withRights_ = false;
};

}  // namespace zt
