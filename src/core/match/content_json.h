// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

#include "core/base/json_reader.h"
#include "core/match/content_hash.h"
#include "core/survey/tree/survey_tree.h"

namespace zt {

/// More rows than any job has.
constexpr std::size_t mostContentRows = 1'000'000;

/// 32 hexadecimal digits, and back.
std::string hexOf(const Digest& digest);
std::optional<Digest> digestOf(std::string_view text);

/// A file by its path and by what it was, and the entry of a survey if it is still that file.
Json seenFileJson(const SurveyTree& tree, NodeId node);
std::optional<NodeId> readSeenFile(JsonReader& in, const SurveyTree& tree);

/// The same entry on a later survey, if it is still what it was.
std::optional<NodeId> stillOn(const SurveyTree& from, NodeId node, const SurveyTree& to);

}  // namespace zt
