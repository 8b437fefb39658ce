// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/step_kind.h"

namespace zt {

/// Files and folders go for good: taken into the hold, looked at there, and only then unlinked.
StepKind discardStep();
/// Files and folders are set aside on the same drive; they free nothing until they are released.
StepKind holdStep();
/// What somebody threw away goes for good, each thing with the record of where it came from.
StepKind emptyStep();
StepKind adviseStep();
/// Files and folders go to another drive: copied, read back, listed with their checksums, and only then let
/// go here.
StepKind transferStep();
/// Copies become further names of the file that stays.
StepKind linkStep();
/// Copies stay files of their own, and are stored once with the one that stays.
StepKind shareStep();
/// Disk images are made compact: their guests see what they saw.
StepKind shrinkStep();
/// A swap file that the running system uses is switched off and goes, as a loan.
StepKind switchOffStep();
/// Packages go by the package manager of the running system.
StepKind removeStep();
/// The journal of the running system is kept within a size by its own setting.
StepKind limitStep();
/// Snapshots go, through their file system.
StepKind dropStep();

/// The kinds of step that come with the program.
StepTable builtInSteps();

}  // namespace zt
