// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "words/upkeep_words.h"

namespace zt {

/// Every sentence for people, told from codes and facts. Used by the command line, the desktop and sheets;
/// knows no toolkit. All texts are UTF-8. English, unless `translate` knows better: it is given each text of
/// this library as it stands in the source. Immutable; any thread that `translate` may be called from. What
/// it says stands in the classes it is made of, by station.
class Words final : public UpkeepWords {
public:
  explicit Words(NumberStyle style = {}, Translate translate = {});
  /// A text of the command line or the window itself, with %1, %2… replaced.
  std::string text(const char* text, std::initializer_list<std::string> values = {}) const {
    return t(text, values);
  }
  /// The same for so many things: %1 is the count.
  std::string textFor(std::uint64_t count, const char* one, const char* many,
                      std::initializer_list<std::string> values = {}) const {
    return counted(count, one, many, values);
  }
};

}  // namespace zt
