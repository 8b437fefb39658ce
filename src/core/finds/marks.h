// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <optional>
#include <string_view>

#include "core/base/path_bytes.h"
#include "core/finds/find.h"

namespace zt {

/// What a person said of a thing and of all beneath it.
enum class Mark : std::uint8_t {
  keep,   ///< locked like bedrock until the mark is taken away
  mayGo,  ///< a proposal may use what lies there
  notNow  ///< left out of proposals
};
constexpr int markKinds = 3;
std::string_view name(Mark mark);

/// The marks of a job, by path relative to the survey's root. The nearest mark on the way to a path wins. A
/// value.
class Marks {
public:
  void set(const PathBytes& path, std::optional<Mark> mark);
  /// The nearest mark at or above a path.
  std::optional<Mark> of(std::string_view path) const;
  /// Whether a path must not go as a whole because somebody said keep: of it, of what it lies in, or of
  /// something beneath it.
  bool locks(std::string_view path) const;
  /// Whether any thing of a find is locked like that.
  bool locks(const Find& find) const;
  /// The mark that all things of a find share; none if they do not.
  std::optional<Mark> of(const Find& find) const;
  const std::map<PathBytes, Mark>& all() const { return marks_; }
  bool operator==(const Marks&) const = default;

private:
  std::map<PathBytes, Mark> marks_;
};

}  // namespace zt
