// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include "core/job/job.h"

namespace zt::desktop {

/// All sentences of the desktop go through here or through tr(). GUI thread.
class Words {
public:
  static QString bytes(Bytes amount);  ///< in the chosen base
  static QString signedBytes(SignedBytes amount);
  static QString exact(Bytes amount);  ///< "9,600,000,000 B" by the locale
  static void setBase(UnitBase base);
  static UnitBase base();
  static QString baseNote();  ///< "1 GB = 10⁹ B"

  static QString path(std::string_view bytes);  ///< escaped for showing
  static QString standing(Standing s);
  static QString standingMeaning(Standing s);
  static QString regret(Regret r);
  static QString role(DriveRole r);
  static QString kind(DriveKind k);
  static QString urgency(Urgency u);
  static QString ageBand(AgeBand b);
  static QString sinceModified(AgeBand b);  ///< "for one to three years"
  static QString findKind(FindKind k);
  static QString action(StepAction a, FindKind k);
  static QString when(GainTime t);
  static QString error(const Error& e);
  static QString problem(Errc code, const std::string& detail);
  static QString statementLine(StatementLine line);
  static QString exception(SurveyException::Kind kind);
  static QString itemState(ItemState s);
  static QString lineState(LineOutcome::State s);
  static QString reason(const ProofReason& r);
  static QString targetName(const Target& t);
  static QString targetReason(const Target& t);
  static QString driveName(const Drive& d);
  static QString driveLine(const Drive& d);     ///< "system · solid-state · 256.1 GB"
  static QString age(TimeNs then, TimeNs now);  ///< "3 years", "today"
  static QString clockTime(TimeNs t);
  static QString date(TimeNs t);
  static QString owner(const FindContext& context, std::uint32_t number);
  static QString fileKind(FileKind kind);
  static QString lineSource(LineSource source);
  static QString statementPart(const StatementPart& part);
  static QString things(std::uint64_t count);  ///< "1 thing", "8 things"

  static QString findTitle(const Find& f);
  static QString findNote(const Find& f);  ///< the second line in the list
};

/// One fact of the evidence panel.
struct Fact {
  QString label;
  QString text;
};
/// What is known of a find: why it is here, where, who, what is lost, how it comes back, links, touched,
/// undo.
QList<Fact> evidence(const Find& find, const FindContext& context);

/// What a word of ours means; empty for words that are not ours.
QString explain(const QString& word);
QStringList knownWords();

}  // namespace zt::desktop
