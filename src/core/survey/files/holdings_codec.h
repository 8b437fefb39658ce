// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/survey/tree/holdings.h"

namespace zt {

/// Who holds what, as bytes; see docs/formats/survey.md. `numbers`: of the nodes in the file.
std::string encodeHoldings(const Holdings& holdings, const std::vector<NodeId>& numbers);
/// nullptr for anything that cannot be. `tree` is finished.
HoldingsPtr decodeHoldings(std::string_view bytes, const SurveyTree& tree);

}  // namespace zt
