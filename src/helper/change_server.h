// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "core/catalogue/place_map.h"
#include "helper/server.h"
#include "helper/whole_steps.h"

namespace zt::helper {

/// Takes the things of one order out of their folders into holds that are root's alone, gives them back, and
/// lets go what is held, for one client and one root; and reads as the reader does, so that the client sees
/// them there. What is done to a thing as a whole its `WholeSteps` carry out. Every request is checked here:
/// named in the order, with its identity, not bedrock, and of what is let go, that it lies in the hold as
/// that thing. One thread.
class ChangeServer final : public Server {
public:
  /// The systems that a folder lies in, as seen from it: what is bedrock does not depend on the root that a
  /// client names.
  using SystemsFrom = std::function<Result<std::vector<SystemRoot>>(const PathBytes& root)>;

  ChangeServer(WholeSteps::Ports ports, DriveInsides& insides, SystemsFrom systemsFrom, Send send)
      : Server(*ports.files, *ports.openFiles, insides, std::move(send)),
        ports_(std::move(ports)),
        files_(*ports_.files),
        systemsFrom_(std::move(systemsFrom)) {}
  /// Whether steps are carried out as a whole, which needs more rights than taking does. After `begin`.
  bool carriesOut() const { return steps_ != nullptr; }

private:
  /// A thing of the order, with what its line says.
  struct Thing {
    PathBytes path;
    Identity identity;
    bool take = false, giveBack = false, release = false;
  };
  Answer answer(const std::string& method, const Json& params) override;
  Answer mayBegin(const Json& params, const PathBytes& root) override;
  Result<Open> reach(const Open& at, const PathBytes& path) override;
  Answer order(const Json& params);
  Answer makeFolder(const Json& params);
  Answer move(const Json& params);
  Answer remove(const Json& params);
  Answer writeDown(const Json& params);
  Answer know(const Json& params);
  Answer step(const Json& params);
  Answer sync(const Json& params);

  bool settleOrder();
  Result<void> mayTake(const PathBytes& path, const EntryStat& now, const Open& to, std::string_view newName);
  Result<void> mayGiveBack(const EntryStat& now, const Open& to, std::string_view newName) const;
  Result<void> mayRemove(const Open& at, const PathBytes& name, bool folder);
  const Thing* heldThing(const EntryStat& now, bool Thing::*right) const;
  bool releases(std::uint64_t inode) const;
  bool isBedrock(const PathBytes& path) const;

  WholeSteps::Ports ports_;
  FileSystem& files_;
  SystemsFrom systemsFrom_;
  RightsOrder order_;
  std::string digest_;
  bool whole_ = false;  ///< all of the order has come, and fits its digest
  std::vector<Thing> things_;
  absl::flat_hash_map<PathBytes, std::size_t> byPath_;
  absl::flat_hash_map<std::uint64_t, std::vector<std::size_t>> byInode_;
  std::optional<PlaceMap> places_;
  std::unique_ptr<WholeSteps> steps_;
};

}  // namespace zt::helper
