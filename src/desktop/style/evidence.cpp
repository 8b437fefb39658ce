// SPDX-License-Identifier: GPL-3.0-or-later
#include <QCoreApplication>
#include <QLocale>

#include "desktop/style/words.h"

namespace zt::desktop {

namespace {

QString t(const char* text) {
  return QCoreApplication::translate("Evidence", text);
}

QString whyHere(const Find& f) {
  switch (f.kind) {
    case FindKind::large:
      return t("one of the largest files of the drive");
    case FindKind::old:
      return t("these files are older than a year by their modification time");
    case FindKind::dormant:
      return t("nothing in this folder was modified for more than a year");
    case FindKind::trash:
      return t("thrown away, but it still occupies the drive");
    case FindKind::picked:
      return t("someone picked it");
  }
  return {};
}

QString lost(const Find& f) {
  switch (f.regret) {
    case Regret::none:
      return t("nothing");
    case Regret::timeOrBandwidth:
      return t("time or bandwidth until it is there again");
    case Regret::wayBack:
      return t("a way back");
    case Regret::personalMoved:
      return t("nothing; it only moves");
    case Regret::personalGone:
      return f.standing == Standing::unjudged ? t("unknown: nobody has looked at it yet")
                                              : t("it is personal, and gone for good");
  }
  return {};
}

QString touched(const Find& f, const FindContext& c) {
  QString text =
      t("modified %1 ago (%2)").arg(Words::age(f.newest, c.survey.finished), Words::date(f.newest));
  if (!c.keepsAccessTimes) return text + t("; access times are not kept on this drive");
  if (f.accessed > 0)
    text += t("; read %1 ago, as far as access times can be trusted")
                .arg(Words::age(f.accessed * nsPerSecond, c.survey.finished));
  return text;
}

}  // namespace

QList<Fact> evidence(const Find& f, const FindContext& c) {
  QList<Fact> facts;
  facts.append({t("Why here"), whyHere(f)});
  const PathBytes place = f.items.size() == 1 ? f.items.front().path : f.place;
  facts.append({t("Where"), Words::path(place.empty() ? "/" : place)});
  facts.append({t("Owner"), Words::owner(c, f.owner)});
  facts.append({t("Lost"), lost(f)});
  facts.append(
      {t("Comes back"), f.standing == Standing::rebuilds ? t("by itself, when it is needed") : t("no")});
  facts.append({t("Touched"), touched(f, c)});
  if (f.linksElsewhere > 0)
    facts.append(
        {t("Other names"), t("%1 further names elsewhere keep part of it; that part does not come free")
                               .arg(f.linksElsewhere)});
  if (f.leftOut > 0)
    facts.append({t("Not listed"), t("%1 smaller files").arg(QLocale().toString(f.leftOut))});
  if (f.standing == Standing::bedrock)
    facts.append({t("Locked"), t("the system needs it; it can be large without being wrong")});
  else
    facts.append({t("Undo"), t("held things can be put back; discarded ones cannot")});
  return facts;
}

namespace {
struct Word {
  const char* word;
  const char* meaning;
};
constexpr Word glossary[] = {
    {"Level",
     "The drive as one upright column: what stands firm below, what may go above, free space on top. A "
     "target is a mark to which the strata must sink."},
    {"target",
     "Free bytes that must be reached. A drive can have several; the hardest one is written out in the "
     "balance."},
    {"statement",
     "Lines that add up to the capacity to the byte. What cannot be explained is a line of its own."},
    {"standing", "How freely something may go: bedrock, kept, unjudged, owner's call, rebuilds, spent."},
    {"bedrock", "The system needs it. It is shown, and locked."},
    {"unjudged", "Nobody has looked at it yet. It is left alone unless nothing else reaches the target."},
    {"owner's call", "Personal. Its owner may move it or let it go."},
    {"rebuilds", "It comes back by itself, at the cost of time or bandwidth."},
    {"spent", "It serves nothing any more."},
    {"find", "Something worth judging, with evidence, gain and consequence."},
    {"gain", "Bytes a step gives back: sure, and at most; now, or when held things are released."},
    {"regret",
     "The worst thing one may be sorry for after a step. A proposal stays under a ceiling of regret."},
    {"dormant folder", "A largest folder in which nothing was modified for a year."},
    {"plan", "The chosen steps in their order. Discards free bytes at once; holds only set aside."},
    {"hold", "Set aside on the same drive. It frees nothing until it is released, and can be put back."},
    {"occupied", "The blocks a file takes on the drive. Not its length: holes take nothing."},
    {"exclusive", "What comes free if this alone goes. Files with further names elsewhere do not count."},
    {"proof", "Measured again: before, promised, actual, and why they differ."}};
}  // namespace

QString explain(const QString& word) {
  for (const auto& entry : glossary)
    if (word.compare(QLatin1String(entry.word), Qt::CaseInsensitive) == 0) return t(entry.meaning);
  return {};
}

QStringList knownWords() {
  QStringList words;
  for (const auto& entry : glossary) words.append(QString::fromLatin1(entry.word));
  return words;
}

}  // namespace zt::desktop
