// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/evidence.h"
#include "words/drive_words.h"

namespace zt {

/// A label and what is said under it.
struct Said {
  std::string label;
  std::string text;
};

/// Finds: what they are, why they are here, and what is known of them.
class FindWords : public DriveWords {
public:
  std::string findTitle(const Find& f) const;
  std::string findNote(const Find& f) const;  ///< one line beneath the title
  std::string whyHere(const Find& f) const;
  std::string gainNote(const Gain& gain) const;  ///< "sure, freed at once"
  /// What is known of a find, in the order it is asked.
  std::vector<Said> evidence(const Find& find, const FindContext& context, const Evidence& evidence) const;
  std::string owner(const FindContext& context, std::uint32_t number) const;
  std::string closedBecause(const Offer& offer) const;  ///< why a way cannot be gone

protected:
  using DriveWords::DriveWords;

private:
  static std::size_t thrownAway(const Find& f);
  void sayOfLoss(const Find& f, const Evidence& e, std::vector<Said>& all) const;
  void sayOfTimes(const Find& f, const FindContext& c, std::vector<Said>& all) const;
  void sayOfSize(const Find& f, const Evidence& e, std::vector<Said>& all) const;
  void sayOfImage(const Find& find, std::vector<Said>& all) const;
  void sayOfKeeper(const Find& find, std::vector<Said>& all) const;
  void sayOfPoints(const Find& find, const FindContext& context, std::vector<Said>& all) const;
  void sayOfMemory(const Find& f, std::vector<Said>& all) const;
  void sayOfHolders(const Find& find, const FindContext& context, std::vector<Said>& all) const;
  void sayOfCopies(const Find& f, const Evidence& e, std::vector<Said>& all) const;
  void sayOfLimits(const Find& f, const Evidence& e, std::vector<Said>& all) const;
};

}  // namespace zt
