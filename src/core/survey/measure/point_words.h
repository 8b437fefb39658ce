// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/file_system.h"
#include "core/survey/tree/holdings.h"

namespace zt {

/// What makers of snapshots wrote of them in a file of words in the same folder (a small XML or JSON document
/// with a description), for those that are seen in the survey. Reads without setting access times, or not at
/// all. nullptr stays nullptr.
HoldingsPtr withWords(HoldingsPtr holdings, const SurveyTree& tree, FileSystemReader& files,
                      const Folder& root);

/// The words in such a document; empty where there are none. Control characters are left out, and what is
/// longer than 200 bytes is cut.
std::string wordsIn(std::string_view document);

}  // namespace zt
