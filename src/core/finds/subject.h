// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/os/file_system.h"
#include "core/survey/tree/survey_tree.h"

namespace zt {

/// What something is about. What follows from it is said in one table, `typeOf` (subject_type.h).
enum class SubjectKind : std::uint8_t {
  entry,    ///< a file or folder of the drive
  point,    ///< a snapshot or restore point
  package,  ///< of a package manager
  memory,   ///< a memory file or setting
  interior  ///< what lies inside a disk image
};
constexpr int subjectKinds = 5;
std::string_view name(SubjectKind kind);

/// One thing that a find, and later a line of the plan, is about.
struct Subject {
  SubjectKind kind = SubjectKind::entry;
  NodeId node = noNode;  ///< in the survey it was found in; not stored
  PathBytes path;        ///< of an entry: relative to the survey's root; else its name
  Identity identity;
  Bytes occupied = 0;   ///< with everything beneath it
  PathBytes origin;     ///< trash: where it came from, as its info file says; may be outside this drive
  std::string deleted;  ///< trash: "2026-04-12T10:15:00" as its info file says
  PathBytes recordOf;   ///< trash: this is the record of that thing, and goes with it

  /// Whether it is an entry that stands in the survey it was found in.
  bool inSurvey() const { return kind == SubjectKind::entry && node != noNode; }
};

}  // namespace zt
