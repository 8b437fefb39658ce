// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/catalogue/place_map.h"
#include "core/survey/tree/survey_tree.h"

namespace zt {

/// What an earlier system's folder is made of: by names alone, entry by entry, on the way down from its top.
/// Immutable; any thread.
class EarlierSystem {
public:
  EarlierSystem(SystemFamily family, std::shared_ptr<const KnownPlaces> known)
      : inside_({{{}, {}, family, true, false}}, {}, {}, std::move(known)) {}
  PlaceMap::Way start() const { return inside_.start(); }
  PlaceMap::Way step(const PlaceMap::Way& from, std::string_view name, EntryKind kind) const {
    return inside_.step(from, name, kind);
  }
  /// Whether a file is one that the system itself made. Not: what no place of its family speaks for, what is
  /// somebody's, and guests' disks, data bases, mail and keys wherever they lie.
  static bool made(const PlaceMap::Way& way, std::string_view name, Bytes length);

private:
  PlaceMap inside_;
};

}  // namespace zt
