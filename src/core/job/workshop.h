// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/catalogue/catalogue.h"
#include "core/detect/detector.h"
#include "core/match/content_kind.h"
#include "core/os/system.h"
#include "core/plan/plan_json.h"

namespace zt {

class Register;

/// What the program knows how to do: its detectors, its kinds of step, and what it reads contents for.
/// Immutable once in use.
struct Craft {
  DetectorTable detectors;
  StepTable steps;
  ContentTable contents;
};
/// The kinds that finds may have, picked ones among them.
std::vector<std::string> findKinds(const Craft& craft);
/// The kinds that a document may name.
KnownKinds knownKinds(const Craft& craft);
/// The craft that comes with the program.
std::shared_ptr<const Craft> builtInCraft();

/// Everything that a job is worked with: the ports to the machine, the craft, and the register of visits,
/// which may be missing.
struct Workshop : System {
  std::shared_ptr<const Craft> craft = builtInCraft();
  std::shared_ptr<Register> visits = nullptr;
  /// Why the register could not be opened: then nothing is reclaimed, because nobody knows what is kept.
  std::optional<Error> visitsProblem = std::nullopt;
  std::shared_ptr<const KnownPlaces> places = KnownPlaces::builtIn();
  /// Why a user's own places could not be read: then no job is opened.
  std::optional<Error> placesProblem = std::nullopt;
};

}  // namespace zt
