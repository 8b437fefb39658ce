// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/report/sheet_document.h"
#include "core/report/sheet_facts.h"
#include "words/history_words.h"

namespace zt {

/// What one leaves behind: the page for the customer, and the annex for the shop.
class SheetWords : public HistoryWords {
public:
  /// The whole sheet. It promises no speed.
  SheetDocument sheet(const SheetFacts& facts, bool withAnnex) const;

protected:
  using HistoryWords::HistoryWords;

private:
  using Parts = std::vector<SheetDocument::Part>;
  void tellState(const SheetFacts& facts, Parts& parts) const;
  void tellDone(const SheetFacts& facts, Parts& parts) const;
  void tellElsewhere(const SheetFacts& facts, Parts& parts) const;
  void tellWayBack(const SheetFacts& facts, Parts& parts) const;
  void tellToDo(const SheetFacts& facts, Parts& parts) const;
  void tellAdvice(const SheetFacts& facts, Parts& parts) const;
  void tellAnnex(const SheetFacts& facts, Parts& parts) const;
  std::string toDo(const StillToDo& one) const;
};

}  // namespace zt
