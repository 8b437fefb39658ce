// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/plan_book.h"
#include "core/match/contents.h"
#include "core/query/question.h"

namespace zt {

/// What comparing contents found for a job, and what was read for it. One thread at a time.
class MatchBook {
public:
  MatchBook(const Workshop& workshop, JobFile& file, SurveyStore& surveys, const PlanBook& plan,
            const PlaceBook& place)
      : workshop_(workshop), file_(file), surveys_(surveys), plan_(plan), place_(place) {}

  struct Options {
    std::optional<Bytes> least;  ///< none: by what is short, see `usualLeast`
    Question question;           ///< only files that answer it
    std::stop_token stop;
    PauseGate* pause = nullptr;
    EqualFound found;
    HashMaker hash = xxh3Hash;
  };
  /// Compares contents, keeps what was found, and lets the finds show it. A stopped one keeps what it knows;
  /// the next begins with what was read already, and what was found before stays known. Fails with away,
  /// changed, imported, notThere.
  Result<MatchResult> match(const Options& options, ProgressSink* progress);

  /// Files below this could not matter: a ten-thousandth of what is short, at least 4 KiB; a megabyte where
  /// nothing is short.
  Bytes usualLeast() const;

  /// Reads what the file keeps. What is not understood is nothing that was known.
  Result<void> load();

private:
  std::vector<std::pair<NodeId, Digest>> digestsOf(const SurveyTree& tree) const;
  MatchOptions matchOptions(const Options& options) const;
  Result<void> save(const Contents& contents);

  const Workshop& workshop_;
  JobFile& file_;
  SurveyStore& surveys_;
  const PlanBook& plan_;
  const PlaceBook& place_;
  KnownDigests known_;
};

}  // namespace zt
