// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/survey/tree/survey_tree.h"

namespace zt {

/// Calls `each` with every entry that lies directly in a folder.
template <class Each>
void eachIn(const SurveyTree& tree, NodeId folder, Each each) {
  const FolderTotals& t = tree.totals(folder);
  for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
    if (!tree.isGone(id)) each(id);
}

}  // namespace zt
