// SPDX-License-Identifier: GPL-3.0-or-later
// Surveys from outside. The first byte says how the rest comes: packed JSON Lines, JSON Lines that are packed
// here, CSV, or the pieces of a job file.
#include <zstd.h>

#include "core/survey/files/exchange.h"
#include "core/survey/files/survey_codec.h"
#include "fuzz/fuzz.h"

namespace {

using namespace zt;

ByteSource streamOf(std::string text) {
  return [text = std::move(text), given = false]() mutable -> std::optional<std::string> {
    return std::exchange(given, true) ? std::string() : std::move(text);
  };
}

/// What was taken must be sound: every node has a path that leads back to it.
void explore(const Result<SurveyPtr>& survey) {
  if (!survey) return;
  const SurveyTree& t = (*survey)->tree;
  for (NodeId id = 0; id < t.size() && id < 1000; ++id)
    if (t.find(t.path(id)) != id) __builtin_trap();
  (void)encodeSurvey(**survey);
}

}  // namespace

void fuzzSurvey(std::string_view input) {
  if (input.empty()) return;
  const char how = input[0];
  const std::string rest(input.substr(1));
  if (how == 'z') return explore(importSurvey(ExchangeForm::jsonLines, streamOf(rest)));
  if (how == 'j') {
    std::string packed(ZSTD_compressBound(rest.size()), '\0');
    packed.resize(ZSTD_compress(packed.data(), packed.size(), rest.data(), rest.size(), 1));
    return explore(importSurvey(ExchangeForm::jsonLines, streamOf(packed)));
  }
  if (how == 'c') return explore(importSurvey(ExchangeForm::csv, streamOf(rest)));
  std::vector<std::string> pieces(1);
  for (const char c : rest)
    if (c == '\n' && pieces.size() < 4)
      pieces.emplace_back();
    else
      pieces.back() += c;
  explore(decodeSurvey(pieces));
}

ZT_FUZZ(fuzzSurvey)
