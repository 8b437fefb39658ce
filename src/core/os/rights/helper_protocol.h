// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>

#include "core/os/drive_insides.h"
#include "core/os/open_files.h"
#include "core/os/rights/privileged.h"
#include "core/os/snapshots.h"

/// The language of the helper: JSON-RPC 2.0, one message a line, docs/formats/helper.md. Both ends use these
/// functions; everything that comes in is checked, whoever sent it. Any thread.
namespace zt::helper {

constexpr int version = 3;
constexpr std::size_t mostRequestBytes = std::size_t{256} << 10;
constexpr std::size_t mostResponseBytes = std::size_t{8} << 20;
constexpr std::size_t entriesAMessage = 2000;
constexpr std::size_t mostHandles = 4096;
constexpr std::size_t mostDrops = 4096;  ///< in one order
constexpr std::size_t mostThings = 1'000'000;
constexpr std::size_t thingsAMessage = 200;
constexpr std::size_t mostFacts = 4'000'000;
constexpr std::size_t factsAMessage = 150;
constexpr std::size_t mostOthers = 64;

/// Error codes beyond those of JSON-RPC.
enum Code : int {
  parseError = -32700,
  invalidRequest = -32600,
  noSuchMethod = -32601,
  invalidParams = -32602,
  refused = -32000,  ///< by the file system; `data` holds the errno and our code
  ended = -32001,
  notBegun = -32002,
  tooLong = -32003
};

using Json = nlohmann::json;

Json toJson(const EntryStat& stat);
/// nullopt for anything but a list of whole numbers in range.
std::optional<EntryStat> statFrom(const Json& json);

Json toJson(const OpenFile& file);
std::optional<OpenFile> openFileFrom(const Json& json);

Json toJson(const Overhead& overhead);
std::optional<Overhead> overheadFrom(const Json& json);

Json toJson(const SpaceUsage& usage);
std::optional<SpaceUsage> usageFrom(const Json& json);

/// What is to be let go. What comes back fits its own digest and is not empty.
Json toJson(const DropOrder& order);
std::optional<DropOrder> dropOrderFrom(const Json& json);

/// What is to be changed with rights. What comes back fits its own digest and is not empty.
Json toJson(const RightsOrder& order);
/// Of a long order only the things from one on, and how many; a whole order has them all.
Json thingsOf(const RightsOrder& order, std::size_t from, std::size_t count);
/// Adds what `thingsOf` told. False for anything else.
bool takeThings(RightsOrder& order, const Json& things, std::size_t most);
std::optional<RightsOrder> rightsOrderFrom(const Json& json);

/// What whole steps have to know but the entries, which come in parts.
Json factsOf(const StepFacts& facts);
std::optional<StepFacts> factsFrom(const Json& json);
Json entriesOf(const StepFacts& facts, std::size_t from, std::size_t count);
/// Adds what `entriesOf` told. False for anything else, and for more than `mostFacts` in all.
bool takeEntries(StepFacts& facts, const Json& entries);

/// Rows of numbers, for the long lists of `StoredSizes`.
using Numbers = std::vector<std::vector<std::uint64_t>>;
std::optional<Numbers> numbersFrom(const Json& json, std::size_t columns);

Json toJson(const StoredSizes::Tree& tree);
/// Puts together what comes in parts. What it says is as hostile as any file.
class StoredReader {
public:
  /// False for anything but rows of numbers.
  bool take(const Json& part);
  /// Whether every number leads to something that came.
  bool holdTogether() const;
  StoredSizes sizes;

private:
  bool takeSets(const Json& rows);
  bool takeTrees(const Json& rows);
  NumberSets::Id setsTaken_ = 0;
};

Json errorJson(const Error& error);
Error errorFrom(const Json& json, std::string_view operation, std::string_view path);

}  // namespace zt::helper
