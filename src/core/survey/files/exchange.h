// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "core/survey/survey.h"

namespace zt {

/// Forms in which a survey goes to other programs and comes from them; docs/formats/exchange.md.
enum class ExchangeForm : std::uint8_t {
  jsonLines,  ///< JSON Lines, compressed with zstd (*.jsonl.zst): everything of a survey but its identities
  csv         ///< RFC 4180 (*.csv): the entries alone
};

/// By the ending of a file's name; nullopt for any other.
std::optional<ExchangeForm> exchangeFormOf(std::string_view fileName);

/// Takes the next piece of output; false if it could not be written.
using ByteSink = std::function<bool(std::string_view)>;
/// Gives the next piece of input; empty at its end, nullopt if it could not be read.
using ByteSource = std::function<std::optional<std::string>()>;

/// Fails with io if the sink does. Any thread.
Result<void> exportSurvey(const Survey& survey, ExchangeForm form, const ByteSink& sink);

/// A survey that may be explored and never reclaimed by (`imported`). The input is taken for hostile: fails
/// with badInput (the number of the line in `detail`), notOurs, tooNew, or io. Any thread.
Result<SurveyPtr> importSurvey(ExchangeForm form, const ByteSource& source);

}  // namespace zt
