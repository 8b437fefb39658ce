// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <optional>
#include <string_view>

#include "core/base/path_bytes.h"
#include "core/finds/find.h"
#include "core/survey/tree/survey_tree.h"

namespace zt {

/// What a person said of a thing and of all beneath it.
enum class Mark : std::uint8_t {
  keep,   ///< locked like bedrock until the mark is taken away
  mayGo,  ///< a proposal may use what lies there
  notNow  ///< left out of proposals
};
constexpr int markKinds = 3;
std::string_view name(Mark mark);

/// A mark, and which entry it was said of.
struct SaidOf {
  Mark mark = Mark::keep;
  std::uint64_t inode = 0;  ///< 0: not known
  bool folder = false;
  bool operator==(const SaidOf&) const = default;
};

/// The marks of a job, by path relative to the survey's root. The nearest mark on the way to a path wins. A
/// value.
class Marks {
public:
  void set(const PathBytes& path, std::optional<Mark> mark);
  void put(const PathBytes& path, const SaidOf& said) { marks_[path] = said; }
  /// The same marks on another survey of the place. What is kept stays kept where it was, and where its entry
  /// is now. What may go, or not now, was said of one entry: it goes along with it in a folder that was moved
  /// or renamed above it, and is forgotten where another entry has taken its place.
  Marks on(const SurveyTree& tree) const;
  /// Takes the marks of others on what is there and of which nothing is said yet.
  void takeMissing(const Marks& others, const SurveyTree& tree);
  /// Takes what others keep, whatever is said of it here.
  void takeKept(const Marks& others);
  /// The nearest mark at or above a path.
  std::optional<Mark> of(std::string_view path) const;
  /// Whether a path must not go as a whole because somebody said keep: of it, of what it lies in, or of
  /// something beneath it.
  bool locks(std::string_view path) const;
  /// Whether any thing of a find is locked like that.
  bool locks(const Find& find) const;
  /// The mark that all things of a find share; none if they do not.
  std::optional<Mark> of(const Find& find) const;
  const std::map<PathBytes, SaidOf>& all() const { return marks_; }
  bool operator==(const Marks&) const = default;

private:
  std::map<PathBytes, SaidOf> marks_;
};

}  // namespace zt
