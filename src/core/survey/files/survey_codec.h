// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>
#include <string>
#include <vector>

#include "core/survey/survey.h"

namespace zt {

/// A survey as checksummed, compressed pieces; the format is docs/formats/survey.md. Each piece is one
/// database row.
std::vector<std::string> encodeSurvey(const Survey& survey);

/// The way back. Every number is checked; fails with corrupt, notOurs or tooNew and never crashes on hostile
/// bytes.
Result<SurveyPtr> decodeSurvey(std::span<const std::string> pieces);

}  // namespace zt
