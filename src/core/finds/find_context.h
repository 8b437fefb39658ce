// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <future>

#include "core/catalogue/place_map.h"
#include "core/finds/file_kinds.h"
#include "core/finds/find.h"
#include "core/os/owner_names.h"
#include "core/survey/survey.h"
#include "core/survey/tree/gain_model.h"

namespace zt {

/// By which measures finds are made.
struct FindOptions {
  TimeNs now = 0;
  TimeNs ageLine = 365 * nsPerDay;  ///< older than this is old and dormant
  Bytes largeBytes = 0;             ///< 0: by capacity, see `largeThreshold`
  std::size_t mostLarge = 2000;
  std::size_t mostItems = 5000;  ///< of one find
  KindTable kinds;
  OwnerNames owners;
  bool keepsAccessTimes = true;  ///< the mount keeps them well enough to be quoted
};

/// A file counts as large from a 2,500th of the capacity on, at least 1 MB and at most 100 MB.
Bytes largeThreshold(Bytes capacity);

/// A survey with everything that detectors, lists and plans share. Built once a survey; immutable; any
/// thread.
class FindContext {
public:
  /// Takes three passes over the survey, side by side.
  FindContext(SurveyPtr survey, PlaceMap places, FindOptions options);

  const SurveyPtr kept;
  const Survey& survey;
  const SurveyTree& tree;
  const PlaceMap places;
  const FindOptions options;

  std::vector<FileKind> kind;      ///< by node, by its name; folders are `other`
  std::vector<Standing> standing;  ///< by node
  std::vector<Regret> regret;      ///< of letting it go, by node
  std::vector<NodeId> trashes;     ///< trash folders by the freedesktop layout
  std::vector<bool> inTrash;       ///< by node
  std::vector<bool> part;          ///< by node: goes only with the whole that it lies in

private:
  std::future<void> kindsFound_;  ///< begins before the gain model is made

public:
  const GainModel gain;

  TimeNs line() const { return options.now - options.ageLine; }
  Bytes large() const;
  Subject subject(NodeId node) const;
  /// The strictest standing of an entry and of everything beneath it; the worst regret likewise.
  Judgement strictest(NodeId node) const;
  /// Fills in id, place, standing, regret, gain, links elsewhere and times from the items.
  void complete(Find& find) const;
  /// The find's own id: of its kind, and of what it is about.
  static std::string findId(std::string_view kind, std::string_view about, AgeBand band);

private:
  void takeJudgements(const std::vector<Judgement>& all);
  void findKinds();
  void findTrashes();
  bool isTrash(NodeId folder) const;
  std::vector<Judgement> beneath_;  ///< by folder number: the strictest and the worst in it
};
using ContextPtr = std::shared_ptr<const FindContext>;

/// A find made of an entry that someone picked by hand.
Find pickedFind(const FindContext& context, NodeId node);

}  // namespace zt
