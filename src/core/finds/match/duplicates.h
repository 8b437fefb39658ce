// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/finds/marks.h"
#include "core/finds/match/matcher.h"

namespace zt {

/// Why one of several equal files is the one that stays.
enum class KeeperRule : std::uint8_t {
  saidKeep,     ///< somebody said keep
  cannotGo,     ///< a system or program keeps it
  notDated,     ///< it lies in no dated copy
  notArrived,   ///< it lies in no folder where downloads arrive
  older,        ///< it was last changed first
  shorterPath,  ///< its path is shorter
  firstOfEqual  ///< nothing tells them apart but their names
};
constexpr int keeperRules = 7;
std::string_view name(KeeperRule rule);

/// The order in which rules are asked; what is not in it is not asked. `saidKeep` and `cannotGo` always come
/// first.
using KeeperOrder = std::vector<KeeperRule>;
KeeperOrder usualOrder();

struct Keeper {
  NodeId node = noNode;
  KeeperRule why = KeeperRule::firstOfEqual;  ///< the first rule that set it above all others
};

/// Which of equal files stays.
Keeper keeperOf(const FindContext& context, const EqualFiles& group, const Marks& marks,
                const KeeperOrder& order);

/// The find of a group, of the kind "duplicates": its things are the copies that could go, without the keeper
/// and what is locked. Facts: "keeper" (path, escaped), "keeper-rule", "bytes-each", "copies". No offers are
/// priced. Nothing for a group in which nothing could go.
std::optional<Find> duplicateFind(const FindContext& context, const EqualFiles& group, const Marks& marks,
                                  const KeeperOrder& order);

/// Finds of the kind "namesakes", one a name: files of one name and kind, of a megabyte and more, that are
/// not equal as far as is known. Nothing is read.
std::vector<Find> namesakeFinds(const FindContext& context, const std::vector<EqualFiles>& groups);

}  // namespace zt
