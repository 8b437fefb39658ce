// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/workshop.h"
#include "core/match/content_kind.h"
#include "core/reclaim/step_executor.h"

namespace zt::test {

/// Kinds that the program does not know, each one value in a table: no file of the program is touched for
/// them.

/// A step that takes things to another drive: "ferry", with the parameters "to" (the drive) and "pieces" (how
/// many writes at most an item is copied in; may be missing). It is copied, compared, and only then goes; put
/// back from there until it is released. Its phases are written for each item as they come.
StepKind ferryStep();

/// Compares contents: files of which the first letters are "cargo:" and the rest is the same, whatever their
/// names. Kept, carried over and found again as the kinds of the program are; finds of the kind "cargo".
std::shared_ptr<const ContentKind> cargoContent();

/// The workshop of this machine with both of them, and every large file offered to the ferry.
Workshop workshopWithOutsideCraft();

}  // namespace zt::test
