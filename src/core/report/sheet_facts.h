// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/job.h"

namespace zt {

/// Whose shop hands the sheet over, as it was said once (`sayShop`).
struct ShopHead {
  std::string name;
  std::string logo;  ///< bytes of a PNG or JPEG; empty for none
};
/// A logo from a file: a PNG or JPEG of at most a megabyte, told by its first bytes. Drawings that are
/// programs are none. Fails with badInput, notThere.
Result<std::string> logoFrom(const PathBytes& file);

/// Something that its own system, or its owner, still has to do.
struct StillToDo {
  enum class Kind : std::uint8_t {
    advised,  ///< on the plan, for its system to carry out
    payBack,  ///< was lent for a while
    release,  ///< is set aside, and frees nothing until it is let go
    notDone,  ///< was planned and would not go
    short_    ///< a target is not met
  };
  Kind kind = Kind::advised;
  std::string title;  ///< of a find: its kind; of a target its label
  PathBytes path;     ///< what it is about; may be empty
  Bytes bytes = 0;
  std::string how;  ///< a command, or words of what is known of the place
  std::optional<Errc> why;
  std::string detail;
};
constexpr int stillToDoKinds = 5;
std::string_view name(StillToDo::Kind kind);

/// Things that went to another drive together.
struct MovedThere {
  PathBytes to;  ///< the folder that was made there
  std::vector<PathBytes> paths;
  Bytes bytes = 0;
};

/// Everything that a hand-over sheet says: of one job, as its file has it. Nothing is read of a drive.
struct SheetFacts {
  ShopHead shop;
  std::string title;  ///< of the drive, as its owner named it; may be empty
  std::string model, system, fsType;
  PathBytes root;
  PathBytes job;  ///< its file; empty for one in memory
  TimeNs written = 0, measured = 0;
  TimeNs proved = 0;         ///< 0: it was not
  std::size_t unproved = 0;  ///< lines that were carried out since, or without any proof
  Bytes capacity = 0;
  Bytes freeBefore = 0, freeAfter = 0;  ///< available bytes; equal where nothing was carried out
  std::vector<Target> wanted;
  std::vector<TargetOutlook> targets;  ///< as they stand now
  std::vector<ProofLine> done;
  SignedBytes gained = 0;    ///< sum of the lines
  SignedBytes byOthers = 0;  ///< changed meanwhile outside the runs
  std::vector<MovedThere> moved;
  std::vector<JournalRecord> held, loans;
  Bytes heldBytes = 0;
  std::vector<StillToDo> toDo;
  Statement statement;
  std::vector<VisitSum> standings;  ///< as measured
};

/// Fails with notThere where nothing was measured yet.
Result<SheetFacts> sheetFacts(Job& job, const Workshop& workshop);
Json toJson(const SheetFacts& facts);

}  // namespace zt
