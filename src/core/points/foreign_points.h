// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/survey/tree/survey_tree.h"

namespace zt {

/// States that the own system of an attached drive keeps as files or folders of its own, as far as they may
/// be seen. They are measured; that system alone can let them go.
struct ForeignPoints {
  struct One {
    NodeId node = noNode;
    TimeNs taken = 0;
  };
  NodeId folder = noNode;
  std::vector<One> points;  ///< the oldest first
};

/// All of a tree:
/// - nt: what a volume's shadow copies wrote aside, one file each at the top in `System Volume Information`,
///   named by the copy's own identifier and that of the store ({3808876b-c176-4e48-b7ae-04046e6cc752}). The
///   identifier tells when, if it is one of time (RFC 4122, version 1), else the file's modification time
///   does. Only with rights.
/// - mac: local copies of older versions of that system, folders named by date in `.MobileBackups`. Those of
///   newer ones lie in no file.
std::vector<ForeignPoints> findForeignPoints(const SurveyTree& tree);

/// When an identifier of time was made ("{xxxxxxxx-xxxx-1xxx-…"); 0 for any other.
TimeNs timeOfIdentifier(std::string_view text);

}  // namespace zt
