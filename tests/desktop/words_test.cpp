// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/style/words.h"

#include <gtest/gtest.h>

#include <QRegularExpression>
#include <QSet>

#include "desktop/models/find_filter.h"
#include "desktop/models/rows_model.h"

namespace zt::test {
namespace {

using namespace zt::desktop;

template <class Enum, class Word>
void allDiffer(int count, Word word) {
  QSet<QString> seen;
  for (int i = 0; i < count; ++i) {
    const QString text = word(static_cast<Enum>(i));
    EXPECT_FALSE(text.isEmpty()) << i;
    seen.insert(text);
  }
  EXPECT_EQ(seen.size(), count);
}

TEST(Words, HaveOneForEverything) {
  allDiffer<Standing>(standings, &Words::standing);
  allDiffer<Standing>(standings, &Words::standingMeaning);
  allDiffer<Regret>(regrets, &Words::regret);
  allDiffer<DriveRole>(7, &Words::role);
  allDiffer<DriveKind>(5, &Words::kind);
  allDiffer<Urgency>(4, &Words::urgency);
  allDiffer<AgeBand>(ageBands, &Words::ageBand);
  allDiffer<AgeBand>(ageBands, &Words::sinceModified);
  allDiffer<FindKind>(5, &Words::findKind);
  allDiffer<GainTime>(4, &Words::when);
  allDiffer<StatementLine>(statementLines, &Words::statementLine);
  allDiffer<SurveyException::Kind>(4, &Words::exception);
  allDiffer<ItemState>(itemStates, &Words::itemState);
  allDiffer<LineOutcome::State>(4, &Words::lineState);
  allDiffer<Errc>(static_cast<int>(Errc::io) + 1, [](Errc e) { return Words::problem(e, {}); });
}

TEST(Words, NeverShowABareErrnoAndNeverExclaim) {
  for (int code = 0; code <= static_cast<int>(Errc::io); ++code) {
    const QString text = Words::error({static_cast<Errc>(code), "open", "a/b", 5, {}});
    EXPECT_FALSE(text.contains(QStringLiteral("errno"))) << text.toStdString();
    EXPECT_FALSE(text.contains(QLatin1Char('!'))) << text.toStdString();
    EXPECT_TRUE(text.startsWith(QStringLiteral("a/b"))) << text.toStdString();
  }
}

TEST(Words, ShowHostileNamesEscaped) {
  EXPECT_EQ(Words::path("a\n\u202Eb"), QStringLiteral("a\\x0a\\xe2\\x80\\xaeb"));
  EXPECT_EQ(Words::path("\xFF"), QStringLiteral("\\xff"));
}

TEST(Words, CountThings) {
  EXPECT_EQ(Words::things(1), QStringLiteral("1 thing"));
  EXPECT_EQ(Words::things(8), QStringLiteral("8 things"));
}

TEST(Words, TellAges) {
  constexpr TimeNs now = 2'000'000'000 * nsPerSecond;
  EXPECT_EQ(Words::age(now, now), QStringLiteral("today"));
  EXPECT_EQ(Words::age(now - nsPerDay, now), QStringLiteral("yesterday"));
  EXPECT_EQ(Words::age(now - 20 * nsPerDay, now), QStringLiteral("20 days"));
  EXPECT_EQ(Words::age(now - 300 * nsPerDay, now), QStringLiteral("9 months"));
  EXPECT_EQ(Words::age(now - 2000 * nsPerDay, now), QStringLiteral("5 years"));
  EXPECT_EQ(Words::age(now + 3 * nsPerDay, now), QStringLiteral("in the future"));
  EXPECT_EQ(Words::age(0, now), QStringLiteral("unknown"));
}

TEST(Words, KeepOneBase) {
  EXPECT_EQ(Words::bytes(20'000'000'000), QStringLiteral("20.0 GB"));
  Words::setBase(UnitBase::iec);
  EXPECT_EQ(Words::bytes(Bytes{20} << 30), QStringLiteral("20.0 GiB"));
  EXPECT_TRUE(Words::baseNote().contains(QStringLiteral("GiB")));
  Words::setBase(UnitBase::decimal);
}

TEST(Words, ReasonsOfAProofSayWhy) {
  using Kind = ProofReason::Kind;
  for (int kind = 0; kind < 8; ++kind) {
    const QString text = Words::reason({static_cast<Kind>(kind), -5'000'000, Errc::inUse, 1, "editor"});
    EXPECT_FALSE(text.isEmpty()) << kind;
  }
  EXPECT_TRUE(Words::reason({Kind::notDone, -5'000'000, Errc::inUse, 1, "editor"})
                  .contains(QStringLiteral("editor")));
}

TEST(Explain, KnowsOurWordsAndNoOthers) {
  for (const QString& word : knownWords()) EXPECT_FALSE(explain(word).isEmpty()) << word.toStdString();
  EXPECT_FALSE(explain(QStringLiteral("BEDROCK")).isEmpty());
  EXPECT_TRUE(explain(QStringLiteral("no such word")).isEmpty());
}

Find someFind(Bytes bytes, double days, const char* path, FindKind kind = FindKind::large) {
  Find f;
  f.kind = kind;
  f.gain = {bytes, bytes, GainTime::now};
  f.newest = 1'000 * nsPerDay - static_cast<TimeNs>(days) * nsPerDay;
  f.items.push_back({1, path, {}, bytes, {}, {}});
  return f;
}

TEST(FindFilter, NeedsAllConditions) {
  constexpr TimeNs now = 1'000 * nsPerDay;
  Find f = someFind(2'000'000'000, 400, "srv/Film.mp4");
  f.owner = 1001;
  const auto owners =
      OwnerNames::fromList("root:x:0:0::/:/bin/sh\nwarden:x:1001:1001::/home/warden:/bin/sh\n");
  const auto takes = [&](const char* text) {
    return FindFilter(QString::fromUtf8(text)).takes(f, now, owners);
  };
  EXPECT_TRUE(takes(""));
  EXPECT_TRUE(takes("film"));
  EXPECT_TRUE(takes("size>1GB age>1y film kind:large"));
  EXPECT_FALSE(takes("size>3GB"));
  EXPECT_FALSE(takes("age>2y"));
  EXPECT_FALSE(takes("kind:trash"));
  EXPECT_FALSE(takes("film nothing"));
  EXPECT_FALSE(takes("size>x")) << "what cannot be understood is a plain word";
  EXPECT_FALSE(takes("age>"));
  EXPECT_TRUE(takes("age>50w"));
  EXPECT_TRUE(takes("standing:unjudged"));
  EXPECT_TRUE(takes("owner:warden"));
  EXPECT_TRUE(takes("owner:1001"));
  EXPECT_FALSE(takes("owner:root"));
  EXPECT_FALSE(takes("owner:nobody-here"));
  EXPECT_TRUE(FindFilter().empty());
}

TEST(RowsModel, KeepsRowsAndTellsOfTicks) {
  RowsModel model({QStringLiteral("a"), QStringLiteral("b")}, {1}, nullptr);
  QStringList ticked;
  QObject::connect(&model, &RowsModel::toggled,
                   [&](const QString& id, bool on) { ticked.append(id + (on ? "+" : "-")); });
  model.setRows(
      {{QStringLiteral("x"), 2, true, false, {{QStringLiteral("one"), {}}, {QStringLiteral("1"), {}}}},
       {QStringLiteral("y"), -1, false, false, {{QStringLiteral("two"), {}}}}});
  EXPECT_EQ(model.rowCount(), 2);
  EXPECT_EQ(model.rowOf(QStringLiteral("y")), 1);
  EXPECT_EQ(model.rowOf(QStringLiteral("z")), -1);
  EXPECT_TRUE(model.setData(model.index(0, 0), Qt::Checked, Qt::CheckStateRole));
  EXPECT_FALSE(model.setData(model.index(1, 0), Qt::Checked, Qt::CheckStateRole));
  EXPECT_EQ(ticked, QStringList{QStringLiteral("x+")});
  EXPECT_EQ(model.tsv(), QStringLiteral("a\tb\none\t1\ntwo\n"));
  EXPECT_FALSE(model.data(model.index(1, 1), Qt::DisplayRole).isValid());
}

}  // namespace
}  // namespace zt::test
