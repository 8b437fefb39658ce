// SPDX-License-Identifier: GPL-3.0-or-later
// The words of the sheet that is handed over.
#include <algorithm>

#include "words/words.h"

namespace zt {

using Sheet = SheetDocument;

namespace {
constexpr std::size_t mostRows = 30;  ///< on the customer's page; the annex has them all

Bytes headroomIn(const SheetFacts& f) {
  Bytes most = 0;
  for (const Target& target : f.wanted)
    if (target.chosen && !target.whileItRuns) most = std::max(most, target.bytes);
  return most;
}
}  // namespace

SheetDocument SheetWords::sheet(const SheetFacts& f, bool withAnnex) const {
  Sheet d;
  d.language = t("en");
  d.title = t("%1: what was done", {f.title.empty() ? path(f.root) : path(f.title)});
  d.shop = f.shop.name;
  d.logo = f.shop.logo;
  d.parts.push_back(Sheet::Paragraph{date(f.written) + (f.system.empty() ? "" : " · " + path(f.system))});
  tellState(f, d.parts);
  tellDone(f, d.parts);
  tellElsewhere(f, d.parts);
  tellWayBack(f, d.parts);
  tellToDo(f, d.parts);
  tellAdvice(f, d.parts);
  if (withAnnex) tellAnnex(f, d.parts);
  return d;
}

void SheetWords::tellState(const SheetFacts& f, Parts& parts) const {
  parts.push_back(Sheet::Heading{t("What was wrong")});
  std::string text = t("%1 were free of %2.", {bytes(f.freeBefore), bytes(f.capacity)});
  for (const Target& target : f.wanted) {
    const SignedBytes over = surplus(target, f.freeBefore);
    text += " " + (over < 0 ? t("For %1, %2 should be free: %3 were missing.",
                                {targetName(target), bytes(target.bytes), bytes(static_cast<Bytes>(-over))})
                            : t("For %1, %2 should be free: there was enough.",
                                {targetName(target), bytes(target.bytes)}));
  }
  parts.push_back(Sheet::Paragraph{text});
  Sheet::Levels levels;
  levels.capacity = f.capacity;
  levels.freeBefore = f.freeBefore;
  levels.freeAfter = f.freeAfter;
  levels.headroom = headroomIn(f);
  levels.before = t("before: %1 free", {bytes(f.freeBefore)});
  levels.after = t("now: %1 free", {bytes(f.freeAfter)});
  levels.meaning = t("Of %1, %2 were used before, and %3 are now.",
                     {bytes(f.capacity), bytes(f.capacity - std::min(f.capacity, f.freeBefore)),
                      bytes(f.capacity - std::min(f.capacity, f.freeAfter))});
  parts.push_back(std::move(levels));
}

void SheetWords::tellDone(const SheetFacts& f, Parts& parts) const {
  parts.push_back(Sheet::Heading{t("What was done")});
  if (f.unproved > 0)
    parts.push_back(Sheet::Paragraph{
        t("What was carried out last was not measured again yet; this sheet says nothing of it.")});
  if (f.done.empty()) {
    if (f.unproved == 0) parts.push_back(Sheet::Paragraph{t("Nothing was changed on the drive.")});
    return;
  }
  parts.push_back(Sheet::Paragraph{t("%1 came free, as the drive's own counter says, read again on %2.",
                                     {signedBytes(f.gained), date(f.proved)})});
  Sheet::Table table{{t("what"), t("how"), t("came free")}, {}, 2};
  for (const ProofLine& line : f.done) {
    if (table.rows.size() == mostRows) break;
    std::string what = findKind(line.kind) + ": " + path(line.example);
    if (line.items > 1) what += t(" and %1 more", {things(line.items - 1)});
    table.rows.push_back({what, action(line.action), signedBytes(line.actual)});
  }
  parts.push_back(std::move(table));
  if (f.done.size() > mostRows)
    parts.push_back(Sheet::Paragraph{t("And %1 more lines.", {number(f.done.size() - mostRows)})});
  for (const TargetOutlook& target : f.targets)
    parts.push_back(Sheet::Paragraph{
        target.met ? t("%1: reached, %2 to spare.",
                       {targetName(target.target), bytes(static_cast<Bytes>(target.surplus))})
                   : t("%1: not reached, %2 are missing.",
                       {targetName(target.target), bytes(static_cast<Bytes>(-target.surplus))})});
}

void SheetWords::tellElsewhere(const SheetFacts& f, Parts& parts) const {
  if (f.moved.empty()) return;
  parts.push_back(Sheet::Heading{t("What lies on another drive now")});
  for (const MovedThere& there : f.moved) {
    parts.push_back(
        Sheet::Paragraph{t("%1, %2, in %3. Every file was read back there and compared before it went here.",
                           {things(there.paths.size()), bytes(there.bytes), path(there.to)})});
    Sheet::Table table{{t("was here")}, {}, 1};
    for (const PathBytes& one : there.paths)
      if (table.rows.size() < mostRows) table.rows.push_back({path(one)});
    parts.push_back(std::move(table));
    parts.push_back(Sheet::Paragraph{t("To check it at any time, there:")});
    parts.push_back(Sheet::Command{"sha256sum -c SHA256SUMS"});
  }
}

void SheetWords::tellWayBack(const SheetFacts& f, Parts& parts) const {
  if (f.held.empty() && f.moved.empty() && f.loans.empty()) return;
  parts.push_back(Sheet::Heading{t("What can be brought back")});
  if (!f.held.empty())
    parts.push_back(
        Sheet::Paragraph{t("%1 are set aside on the drive itself (%2). They can be put back until they are "
                           "let go for good, and take "
                           "their room until then.",
                           {things(f.held.size()), bytes(f.heldBytes)})});
  if (!f.moved.empty())
    parts.push_back(
        Sheet::Paragraph{t("What lies on another drive can be brought back as long as it lies there and the "
                           "shop keeps its records.")});
  for (const JournalRecord& loan : f.loans)
    parts.push_back(
        Sheet::Paragraph{t("%1 was switched off for a while (%2) and has to be switched on again.",
                           {path(loan.path), bytes(loan.occupied)})});
}

std::string SheetWords::toDo(const StillToDo& one) const {
  switch (one.kind) {
    case StillToDo::Kind::advised: {
      std::string text = findKind(one.title) + (one.path.empty() ? "" : " " + path(one.path)) + ": " +
                         t("its own system lets it go; up to %1", {bytes(one.bytes)});
      return one.how.empty() ? text : text + ". " + one.how;
    }
    case StillToDo::Kind::payBack:
      return t("Switch %1 on again; it needs %2.", {path(one.path), bytes(one.bytes)});
    case StillToDo::Kind::release:
      return t("Look whether anything of %1 is missed; then let it go for good (%2).",
               {path(one.path), bytes(one.bytes)});
    case StillToDo::Kind::notDone:
      return t("%1 would not go: %2.",
               {path(one.path), one.why ? problem(*one.why, one.detail) : std::string()});
    case StillToDo::Kind::short_:
      return t("%1 are still missing for %2.", {bytes(one.bytes), one.title.empty() ? one.how : one.title});
  }
  return {};
}

void SheetWords::tellToDo(const SheetFacts& f, Parts& parts) const {
  if (f.toDo.empty()) return;
  parts.push_back(Sheet::Heading{t("What is still to do")});
  Sheet::Steps steps;
  for (const StillToDo& one : f.toDo) {
    if (steps.items.size() == mostRows) {
      steps.items.push_back(t("And %1 more; the annex has them.", {number(f.toDo.size() - mostRows)}));
      break;
    }
    steps.items.push_back(toDo(one));
  }
  parts.push_back(std::move(steps));
}

void SheetWords::tellAdvice(const SheetFacts& f, Parts& parts) const {
  parts.push_back(Sheet::Heading{t("So that it stays so")});
  if (const Bytes headroom = headroomIn(f); headroom > 0)
    parts.push_back(Sheet::Paragraph{t(
        "Keep %1 free: a drive that is full can lose what is being written, and its system can no longer be "
        "brought up to date.",
        {bytes(headroom)})});
  parts.push_back(Sheet::Paragraph{
      t("Keep a second copy of what is personal on another drive. Nothing on this sheet is one.")});
}

void SheetWords::tellAnnex(const SheetFacts& f, Parts& parts) const {
  parts.push_back(Sheet::Annex{});
  parts.push_back(Sheet::Heading{t("For the shop")});
  parts.push_back(
      Sheet::Paragraph{t("Job: %1. Measured on %2. %3.",
                         {f.job.empty() ? t("in memory") : path(f.job), date(f.measured), baseNote()})});
  Sheet::Table statementTable{{t("statement as measured"), t("by"), t("bytes")}, {}, 2};
  for (std::size_t i = 0; i < statementLines; ++i) {
    const auto line = static_cast<StatementLine>(i);
    if (f.statement[line] != 0)
      statementTable.rows.push_back(
          {statementLine(line), lineSource(f.statement.source(line)), signedBytes(f.statement[line])});
  }
  parts.push_back(std::move(statementTable));
  Sheet::Table byStanding{{t("standing"), t("occupied")}, {}, 1};
  for (const VisitSum& sum : f.standings)
    for (int i = 0; i < standings; ++i)
      if (name(static_cast<Standing>(i)) == sum.name)
        byStanding.rows.push_back({standing(static_cast<Standing>(i)), bytes(sum.bytes)});
  parts.push_back(std::move(byStanding));
  if (f.done.empty()) return;
  Sheet::Table lines{{t("line"), t("step"), t("promised"), t("actual")}, {}, 2};
  for (const ProofLine& line : f.done) {
    std::string what = path(line.example) + " (" + things(line.items) + ")";
    for (const ProofReason& r : line.reasons)
      if (worthSaying(r)) what += "; " + reason(r);
    lines.rows.push_back({what, action(line.action), exact(line.promised.sure), signedBytes(line.actual)});
  }
  parts.push_back(std::move(lines));
  parts.push_back(Sheet::Paragraph{t("Others wrote or freed meanwhile: %1.", {signedBytes(f.byOthers)})});
}

}  // namespace zt
