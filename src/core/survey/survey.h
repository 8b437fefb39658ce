// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/os/file_system.h"
#include "core/survey/tree/growing_tree.h"
#include "core/survey/tree/holdings.h"

namespace zt {

/// Something that could not be measured as it should. Listed, never fatal.
struct SurveyException {
  enum class Kind : std::uint8_t {
    unreadable,   ///< a folder or entry that may not be looked into
    vanished,     ///< gone between being listed and being looked at
    mountedOver,  ///< another file system is mounted here; what lies beneath is not seen
    swapped,      ///< another folder stood there when it was opened; not entered
    unanswered    ///< the system did not answer in time; given up
  };
  Kind kind = Kind::unreadable;
  int sysErrno = 0;
  NodeId node = noNode;
};

constexpr int surveyExceptionKinds = 5;
std::string_view name(SurveyException::Kind kind);

/// A line of the statement. The order is the order of the ledger page.
enum class StatementLine : std::uint8_t {
  free,
  reserved,
  files,
  snapshots,
  openDeleted,
  beneathMounts,
  overhead,
  changedMeanwhile,  ///< bytes that others wrote (or, below zero, freed) while it was measured
  elsewhere,         ///< only when a folder was measured: used bytes of the drive outside it, not looked at
  unexplained
};
constexpr std::size_t statementLines = 10;

/// The name used in JSON ("open_deleted").
std::string_view name(StatementLine line);

/// How a line of the statement was obtained.
enum class LineSource : std::uint8_t {
  none,          ///< nothing was looked at
  counters,      ///< the file system's own counters (statvfs)
  walked,        ///< every entry was asked for its blocks
  extents,       ///< the file system's list of extents, each counted once
  openFiles,     ///< files that processes hold open
  uncovered,     ///< a copy of the mount on which nothing is mounted over anything
  structures,    ///< the file system's own description of its structures
  declared,      ///< a stand-in's manifest
  remainder,     ///< what is left of the capacity
  cannotItemise  ///< this kind of file system does not say; the remainder may be its own
};
constexpr int lineSources = 10;
/// The name used in JSON ("cannot-itemise").
std::string_view name(LineSource source);

/// Something that a line is made of, or that belongs beside it. The ids are listed in
/// docs/formats/statement.md.
struct StatementPart {
  StatementLine line = StatementLine::files;
  std::string id;       ///< "program", "mount-point", "inode-chunks"…
  std::string subject;  ///< name of the program, path of the mount point; may be empty
  SignedBytes bytes = 0;
  std::uint64_t count = 0;  ///< files, entries, folders; 0 where it does not apply
};

/// The balance of a survey: lines that add up to the capacity to the byte. Signed, because an inexact line
/// can exceed what is there; the unexplained remainder is then negative and shown so.
struct Statement {
  Bytes capacity = 0;
  std::array<SignedBytes, statementLines> lines{};
  std::array<LineSource, statementLines> sources{};
  std::vector<StatementPart> parts;
  SignedBytes& operator[](StatementLine line) { return lines[static_cast<std::size_t>(line)]; }
  SignedBytes operator[](StatementLine line) const { return lines[static_cast<std::size_t>(line)]; }
  void put(StatementLine line, Bytes bytes, LineSource source);
  LineSource source(StatementLine line) const { return sources[static_cast<std::size_t>(line)]; }
  /// Sets `unexplained` so that the sum is the capacity.
  void balance();
  SignedBytes sum() const;
};

/// One measurement of a drive or folder. Never changed once finished; share it as `shared_ptr<const Survey>`.
struct Survey {
  GrowingTree tree;
  PathBytes root;           ///< where it was measured, absolute
  PathBytes mountTarget;    ///< top of the drive it lies on
  bool wholeDrive = false;  ///< root is the top of the drive
  std::string driveId;      ///< UUID of the file system, or what else names it
  std::string fsType;
  TimeNs started = 0;
  TimeNs finished = 0;
  bool partial = false;
  bool standIn = false;
  bool imported = false;  ///< read from an exchange file: may be explored, never reclaimed by
  std::uint64_t vanished = 0;
  /// Folders listed without the right to keep their access time: it may have been set. Files are never read
  /// without it.
  std::uint64_t timesAtRisk = 0;
  std::vector<SurveyException> exceptions;
  SpaceUsage usage;
  Statement statement;
  HoldingsPtr holdings;  ///< nullptr where no bytes are held together, and where nobody says

  /// Whether some of it was given up because the system did not answer.
  bool leftUnanswered() const;
};
using SurveyPtr = std::shared_ptr<const Survey>;

}  // namespace zt
