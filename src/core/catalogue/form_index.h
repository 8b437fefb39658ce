// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>
#include <absl/container/inlined_vector.h>

#include <array>

#include "core/catalogue/place_map.h"
#include "core/survey/survey.h"

namespace zt {

/// Finds the entries of a survey whose names could make them a form: one quick pass over all names, so that
/// the slow questions are asked of few. One thread.
class FormIndex {
public:
  explicit FormIndex(const PlaceMap& map);

  struct Candidate {
    std::uint16_t layer = 0;
    const Form* form = nullptr;
    bool children = false;  ///< the entries in it are the form, not it itself
  };
  using Candidates = absl::flat_hash_map<NodeId, absl::InlinedVector<Candidate, 2>>;
  Candidates candidatesIn(const SurveyTree& tree) const;

private:
  struct Key {
    Candidate candidate;
    std::size_t last = 0;  ///< which part of the form the name fits
    bool parent = false;   ///< the name is a marker's: the folder it lies in may be the form
  };
  struct Names {
    bool fold = false;
    absl::flat_hash_map<std::string, std::vector<Key>> exact;
    absl::flat_hash_map<std::string, std::vector<Key>> endings;
    std::vector<std::pair<NamePattern, Key>> others;
  };
  void add(Names& names, std::uint16_t layer, const Form& form);
  void addName(Names& names, const std::string& text, const Key& key);
  void look(const Names& names, const SurveyTree& tree, NodeId id, std::string_view name,
            Candidates& all) const;
  void take(const Key& key, const SurveyTree& tree, NodeId id, bool fold, Candidates& all) const;

  std::array<Names, 2> names_;        ///< as they are, and in lower case
  std::array<bool, 256> mayBegin_{};  ///< first letters of exact names and of others, in lower case
  std::array<bool, 256> mayEnd_{};    ///< last letters of endings and of others, in lower case
};

}  // namespace zt
