// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <vector>

#include "core/drive/drive.h"
#include "core/finds/elsewhere.h"
#include "core/finds/marks.h"
#include "core/match/content_hash.h"
#include "core/proof/proof.h"

namespace SQLite {
class Database;
}

namespace zt {

/// What was done on a visit.
enum class VisitKind : std::uint8_t { measured, ran, proved };
constexpr int visitKinds = 3;
std::string_view name(VisitKind kind);

/// What one visit to a drive left: its figures at one time.
struct Visit {
  std::string drive;  ///< id of the drive
  std::string job;    ///< identity of the job
  PathBytes file;     ///< of the job; empty for one in memory
  PathBytes root;     ///< what was measured
  TimeNs when = 0;
  Bytes capacity = 0;
  Bytes free = 0;
  std::uint64_t entries = 0;
  bool wholeDrive = false;
  VisitKind kind = VisitKind::measured;
  Bytes promised = 0;    ///< of a run or a proof: sure
  SignedBytes rose = 0;  ///< of a run or a proof: by the drive's own counter
};

/// What a visit counted by one way of parting the bytes.
struct VisitSum {
  std::string by;  ///< "standing", or "folder": those directly in what was measured
  PathBytes name;
  Bytes bytes = 0;
  bool operator==(const VisitSum&) const = default;
};

/// A drive that was visited once.
struct KnownDrive {
  std::string id;
  std::string title;  ///< as its owner named it; may be empty
  std::string fsType;
  Bytes capacity = 0;
  TimeNs first = 0, last = 0;  ///< when it was noted; `noteDrive` keeps the first
};

/// One of the large files that a visit saw.
struct LargeFile {
  PathBytes path;  ///< from the drive's top
  Bytes length = 0;
  TimeNs modified = 0;
};

/// What the content of a large file is like.
struct FileContents {
  PathBytes path;  ///< from the drive's top
  Bytes length = 0;
  TimeNs modified = 0;
  Digest digest;
};

/// The large files of one drive, or of a folder of it, as one visit saw them.
struct LargeFiles {
  std::string drive;  ///< id of the drive
  std::string title;  ///< as its owner named it; may be empty
  PathBytes top;      ///< from the drive's top: what was measured
  TimeNs seen = 0;
  std::vector<LargeFile> files;
};

/// The register of drives and of the visits to them (docs/formats/register.md): one SQLite file in the user's
/// data directory. Several programs may use it at once. It holds nothing that a drive or a job could not tell
/// again; whoever cannot open it works without. Any thread.
class Register {
public:
  /// Makes the file if need be. Fails with notOurs, tooNew, corrupt, notPermitted, busy.
  static Result<std::shared_ptr<Register>> open(const PathBytes& file);
  ~Register();

  /// Notes a drive, or that it was seen again (`last`).
  Result<void> noteDrive(const KnownDrive& drive);
  /// The latest seen first.
  Result<std::vector<KnownDrive>> drives();
  /// Notes a visit; one of the same job, kind and time is the same one. Of a drive the latest thousand are
  /// kept.
  Result<void> noteVisit(const Visit& visit);
  /// Of one drive, oldest first.
  Result<std::vector<Visit>> visits(const std::string& drive);
  /// Notes what a measuring visit counted, in place of what was noted of it.
  Result<void> noteSums(const Visit& visit, const std::vector<VisitSum>& sums);
  /// The largest of each way first; nothing where nothing was noted.
  std::vector<VisitSum> sums(const Visit& visit);
  /// Forgets the visits to a drive before a time, and what they counted; gives how many. What is held, lent
  /// or said of its things stays.
  Result<std::size_t> forgetVisits(const std::string& drive, TimeNs before);

  Result<void> setOverrule(const std::string& drive, const DriveOverrule& said);
  /// Nothing said where nothing can be read.
  DriveOverrule overrule(const std::string& drive);

  /// Notes what somebody says of things on a drive, by their paths from its top, and of which nothing is said
  /// any more.
  Result<void> noteMarks(const std::string& drive, const Marks& said, const std::vector<PathBytes>& cleared);
  /// Nothing where nothing can be read.
  Marks marks(const std::string& drive);

  /// Takes the place of what was known of the same folder.
  Result<void> noteLargeFiles(const LargeFiles& seen);
  /// What other drives had of a file of this one (its path from the drive's top), at most ten: of its
  /// content, where that was compared, and of its length and name. Nothing where nothing can be read.
  KnownElsewhere elsewhere(const std::string& drive, const FileAsked& file);
  /// Notes what comparing told of files that are among the large ones.
  Result<void> noteContents(const std::string& drive, const std::vector<FileContents>& read);
  /// The lengths that large files of other drives have, ascending.
  std::vector<Bytes> lengthsElsewhere(const std::string& notOn);

  /// What this shop has decided once for all, by a name (core/job/shop.h). Empty for nothing.
  Result<void> say(const std::string& name, const std::string& value);
  std::string said(const std::string& name);
  /// Says anew what was said, as `change` makes it of that; nobody else says anything of it meanwhile. Where
  /// `change` fails nothing is said, and that is what this fails with.
  Result<void> amend(const std::string& name,
                     const std::function<Result<std::string>(const std::string& was)>& change);

  /// Who changes a drive has it as long as what this gives lives: one program of this user at a time. Fails
  /// with busy.
  Result<std::shared_ptr<void>> lock(const std::string& drive) const;
  /// Where things are held on a drive beside its top: folders relative to the drive's top.
  Result<void> noteHold(const std::string& drive, const PathBytes& folder);
  std::vector<PathBytes> holds(const std::string& drive);

  /// What a job has lent of a drive and not paid back yet; takes the place of what it said before.
  Result<void> noteLoans(const std::string& drive, const std::string& job, const std::vector<OpenLoan>& open);
  /// Of all jobs; nothing where nothing can be read.
  std::vector<OpenLoan> loans(const std::string& drive);

private:
  Register(PathBytes file, std::unique_ptr<SQLite::Database> db);
  void dropSums(const std::string& drive);
  PathBytes file_;
  std::mutex mutex_;
  std::unique_ptr<SQLite::Database> db_;
};

/// Where the register of this user lies: `zip-tally/register.sqlite` in the data directory of the XDG Base
/// Directory specification 0.8.
PathBytes registerFile();

}  // namespace zt
