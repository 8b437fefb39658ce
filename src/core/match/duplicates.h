// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <optional>

#include "core/finds/marks.h"
#include "core/match/matcher.h"

namespace zt {

/// Why one of several equal files is the one that stays.
enum class KeeperRule : std::uint8_t {
  saidKeep,     ///< somebody said keep
  cannotGo,     ///< a system or program keeps it
  notDated,     ///< it lies in no dated copy
  notArrived,   ///< it lies in no folder where downloads arrive
  atHome,       ///< it lies where somebody keeps his things, the other does not
  older,        ///< it was made first, or where nobody knows that, last changed first
  shorterPath,  ///< its path is shorter
  holdsAll,     ///< of folders: all of the other one lies in it
  firstOfEqual  ///< nothing tells them apart but their names
};
constexpr int keeperRules = 9;
std::string_view name(KeeperRule rule);

/// The order in which rules are asked; what is not in it is not asked. `saidKeep` and `cannotGo` always come
/// first.
using KeeperOrder = std::vector<KeeperRule>;
KeeperOrder usualOrder();
/// An order from words, "not-arrived,older"; fails with badInput for what is no rule that can be ordered, and
/// for one said twice. Nothing said is the usual order.
Result<KeeperOrder> parseOrder(std::string_view words);
std::string orderText(const KeeperOrder& order);

struct Keeper {
  NodeId node = noNode;
  KeeperRule why = KeeperRule::firstOfEqual;  ///< the first rule that set it above all others
};

/// Which of equal files stays.
Keeper keeperOf(const FindContext& context, const EqualFiles& group, const Marks& marks,
                const KeeperOrder& order);

/// Makes a find one of equal content: nothing is lost but a second place, and whether that was meant is its
/// owner's to say.
void sayKeeper(Find& find, const FindContext& context, const Keeper& keeper, Bytes each, std::size_t copies);

/// The find of a group, of the kind "duplicates": its things are the copies that could go, without the keeper
/// what is locked, and what shares all its bytes with the keeper already. Facts: "keeper" (path, escaped),
/// "keeper-rule", "bytes-each", "copies". No offers are priced. Nothing for a group in which nothing could
/// go.
std::optional<Find> duplicateFind(const FindContext& context, const EqualFiles& group, const Marks& marks,
                                  const KeeperOrder& order);

/// Where two files first differ, by their nodes, the smaller one first. Bytes from the beginning.
using Differences = std::map<std::pair<NodeId, NodeId>, Bytes>;
std::optional<Bytes> differenceOf(const Differences& all, NodeId a, NodeId b);

/// How pairs are read.
struct DifferenceSearch {
  const Differences* known = nullptr;
  std::stop_token stop;
  PauseGate* pause = nullptr;
  Bytes read = 0;  ///< of both files of each pair; counted up
};

/// Reads pairs of namesakes of one length, the newest with each other one, until they differ; of all
/// together four gigabytes at most. What cannot be read is left out.
Differences firstDifferences(FileSystemReader& files, const Folder& root, const FindContext& context,
                             const std::vector<Find>& namesakes, DifferenceSearch& search,
                             ProgressSink* progress = nullptr);

/// Finds of the kind "namesakes", one a name: files of one name and kind, of a megabyte and more, that are
/// not equal as far as is known. Nothing is read. A fact "differs-at" for each thing but the first: where it
/// first differs from the first; all ones where that is not known. The newest is the first, and no plan takes
/// it (`withoutNewest`). Of a name in many places the largest are told, and a fact "left-out".
std::vector<Find> namesakeFinds(const FindContext& context, const std::vector<EqualFiles>& groups,
                                const Differences& differences = {});

/// What a plan may take of a find of namesakes, or of a part of it: all but what is as new as the newest of
/// the whole find.
Find withoutNewest(const FindContext& context, const Find& part, const Find& whole);

}  // namespace zt
