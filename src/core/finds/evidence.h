// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/find_context.h"

namespace zt {

/// How a size stands against what is usual for such a place.
enum class SizeVerdict : std::uint8_t { unknown, usual, small, large };
constexpr int sizeVerdicts = 4;
std::string_view name(SizeVerdict verdict);

/// Another file of the same name and length on the drive: perhaps a copy, the content was not compared.
struct Namesake {
  PathBytes path;
  PathBytes of;  ///< the thing of the find
};

/// The same on a drive that was measured before.
struct NamesakeElsewhere {
  FileElsewhere file;
  PathBytes of;
};

/// What is known of a find beside what it says itself. Facts only; `words` makes sentences.
struct Evidence {
  const Place* place = nullptr;  ///< lives as long as the catalogue
  Verdict verdict = Verdict::asSaid;
  SizeVerdict size = SizeVerdict::unknown;
  std::vector<Namesake> namesakes;           ///< at most ten
  std::vector<NamesakeElsewhere> elsewhere;  ///< at most ten
  bool onlyHere = false;                     ///< compared by content with other drives, none has it
  bool needsRights = false;                  ///< it belongs to somebody else
  std::uint32_t placeholders = 0;  ///< of its things: files with a length of which nothing is stored here
};

/// Looks for namesakes of the things of several finds in one pass. The context must outlive it. Immutable;
/// any thread.
class EvidenceDesk {
public:
  EvidenceDesk(const FindContext& context, std::span<const Find* const> finds, std::uint32_t self);
  Evidence of(const Find& find) const;

private:
  const FindContext& context_;
  std::uint32_t self_;
  template <class Value>
  using ByLengthAndName = absl::flat_hash_map<std::pair<Bytes, std::string>, Value>;
  ByLengthAndName<std::vector<NodeId>> namesakes_;
  absl::flat_hash_map<NodeId, KnownElsewhere> elsewhere_;
};

/// The place that a find is of; nullptr where none is known.
const Place* placeOf(const Find& find, const KnownPlaces& known);

}  // namespace zt
