// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace zt {

/// Names of the users that files belong to. A drive from another machine has users of its own: the same
/// number is somebody else there. Immutable; any thread.
class OwnerNames {
public:
  /// Nobody by name.
  OwnerNames() = default;
  /// From the text of a user list in the form of passwd(5). Lines that are none are left out; of two names
  /// for one number the first counts.
  static OwnerNames fromList(std::string_view list);
  /// As this machine knows them, these numbers only. May ask servers that the machine's user lists lie on.
  static OwnerNames ofThisMachine(std::span<const std::uint32_t> owners);

  std::optional<std::string_view> name(std::uint32_t owner) const;
  /// The way back; a plain number stands for itself.
  std::optional<std::uint32_t> number(std::string_view name) const;
  const std::map<std::uint32_t, std::string>& all() const { return names_; }

private:
  std::map<std::uint32_t, std::string> names_;
};

}  // namespace zt
