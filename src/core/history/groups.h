// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/finds/find_context.h"

namespace zt {

/// By what the bytes of a survey are parted.
enum class GroupBy : std::uint8_t { kind, standing, owner };
constexpr int groupings = 3;
std::string_view name(GroupBy by);

/// Occupied bytes of a group in two surveys; an inode with several names counts once, at the first.
struct GroupChange {
  std::string group;  ///< name of a kind or standing; of an owner its name, or its number
  Bytes before = 0, after = 0;
  std::uint64_t filesBefore = 0, filesAfter = 0;
};

/// Those that changed most first; groups of which neither has anything are left out. One pass over each.
std::vector<GroupChange> compareGroups(const FindContext& before, const FindContext& after, GroupBy by);

}  // namespace zt
