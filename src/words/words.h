// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "words/plan_words.h"

namespace zt {

/// Every sentence for people, told from codes and facts. Used by the command line, the desktop and sheets;
/// knows no toolkit. All texts are UTF-8. English, unless `translate` knows better: it is given each text of
/// this library as it stands in the source. Immutable; any thread that `translate` may be called from. What
/// it says stands in the classes it is made of, by station.
class Words final : public PlanWords {
public:
  explicit Words(NumberStyle style = {}, Translate translate = {});
};

}  // namespace zt
