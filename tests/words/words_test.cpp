// SPDX-License-Identifier: GPL-3.0-or-later
#include "words/words.h"

#include <gtest/gtest.h>

#include <set>

namespace zt::test {
namespace {

const Words words;

template <class Enum, class Word>
void allDiffer(int count, Word word) {
  std::set<std::string> seen;
  for (int i = 0; i < count; ++i) {
    const std::string text = word(static_cast<Enum>(i));
    EXPECT_FALSE(text.empty()) << i;
    seen.insert(text);
  }
  EXPECT_EQ(std::ssize(seen), count);
}

TEST(Words, HaveOneForEverything) {
  allDiffer<Standing>(standings, [](auto v) { return words.standing(v); });
  allDiffer<Standing>(standings, [](auto v) { return words.standingMeaning(v); });
  allDiffer<Regret>(regrets, [](auto v) { return words.regret(v); });
  allDiffer<DriveRole>(driveRoles, [](auto v) { return words.role(v); });
  allDiffer<DriveKind>(driveKinds, [](auto v) { return words.kind(v); });
  allDiffer<SizeClass>(sizeClasses, [](auto v) { return words.size(v); });
  allDiffer<Urgency>(4, [](auto v) { return words.urgency(v); });
  allDiffer<AgeBand>(ageBands, [](auto v) { return words.ageBand(v); });
  allDiffer<AgeBand>(ageBands, [](auto v) { return words.sinceModified(v); });
  allDiffer<FileKind>(fileKinds, [](auto v) { return words.fileKind(v); });
  allDiffer<GainTime>(gainTimes, [](auto v) { return words.when(v); });
  allDiffer<Mark>(markKinds, [](auto v) { return words.mark(v); });
  allDiffer<StatementLine>(static_cast<int>(statementLines), [](auto v) { return words.statementLine(v); });
  allDiffer<SurveyException::Kind>(surveyExceptionKinds, [](auto v) { return words.exception(v); });
  allDiffer<ItemState>(itemStates, [](auto v) { return words.itemState(v); });
  allDiffer<LineOutcome::State>(lineStates, [](auto v) { return words.lineState(v); });
  allDiffer<Errc>(errorCodes, [](auto v) { return words.problem(v); });
  for (const char* kind : {"large", "old", "dormant", "trash", "picked"})
    EXPECT_FALSE(words.findKind(kind).empty());
  for (const char* action : {"discard", "hold", "empty"}) EXPECT_FALSE(words.action(action).empty());
}

TEST(Words, NeverShowABareErrnoAndNeverExclaim) {
  for (int code = 0; code < errorCodes; ++code) {
    const std::string text = words.error({static_cast<Errc>(code), "open", "a\nb", 5, "detail"});
    EXPECT_EQ(text.find("errno"), std::string::npos) << text;
    EXPECT_EQ(text.find('!'), std::string::npos) << text;
    EXPECT_EQ(text.find("a\\x0ab"), 0u) << text;
    EXPECT_NE(text.back(), '.') << text;
  }
}

TEST(Words, ShowHostileNamesEscaped) {
  EXPECT_EQ(words.path("a\n\u202Eb"), "a\\x0a\\xe2\\x80\\xaeb");
  EXPECT_EQ(words.path("\xFF"), "\\xff");
  EXPECT_EQ(words.path(""), "/");
}

TEST(Words, CountThings) {
  EXPECT_EQ(words.things(1), "1 thing");
  EXPECT_EQ(words.things(8), "8 things");
  EXPECT_EQ(words.number(1'234'567), "1,234,567");
}

TEST(Words, TellAges) {
  constexpr TimeNs now = 2'000'000'000 * nsPerSecond;
  EXPECT_EQ(words.age(now, now), "today");
  EXPECT_EQ(words.age(now - nsPerDay, now), "yesterday");
  EXPECT_EQ(words.age(now - 20 * nsPerDay, now), "20 days");
  EXPECT_EQ(words.age(now - 300 * nsPerDay, now), "9 months");
  EXPECT_EQ(words.age(now - 2000 * nsPerDay, now), "5 years");
  EXPECT_EQ(words.age(now + 3 * nsPerDay, now), "in the future");
  EXPECT_EQ(words.age(0, now), "unknown");
}

TEST(Words, KeepOneBaseAndOneLocale) {
  EXPECT_EQ(words.bytes(20'000'000'000), "20.0 GB");
  const Words iec({UnitBase::iec, ",", "."});
  EXPECT_EQ(iec.bytes(Bytes{20} << 30), "20,0 GiB");
  EXPECT_EQ(iec.number(1'234'567), "1.234.567");
  EXPECT_NE(iec.baseNote().find("GiB"), std::string::npos);
}

TEST(Words, AreTranslatedWhole) {
  const Words shouting(
      {}, [](const char* text, const char*, std::uint64_t) { return std::string("<") + text + ">"; });
  EXPECT_EQ(shouting.standing(Standing::bedrock), "<" + words.standing(Standing::bedrock) + ">");
}

TEST(Words, ReasonsOfAProofSayWhy) {
  std::set<std::string> seen;
  for (int kind = 0; kind < proofReasonKinds; ++kind)
    seen.insert(words.reason({static_cast<ProofReason::Kind>(kind), -5'000'000, Errc::inUse, 1, "editor"}));
  EXPECT_EQ(std::ssize(seen), proofReasonKinds);
  EXPECT_NE(words.reason({ProofReason::Kind::notDone, -5'000'000, Errc::inUse, 1, "editor"}).find("editor"),
            std::string::npos);
}

TEST(Words, NameFinds) {
  Find f;
  f.kind = "dormant";
  f.files = 1;
  f.band = AgeBand::older;
  f.items.emplace_back();
  f.items[0].path = "old\x01";
  EXPECT_EQ(words.findTitle(f), "old\\x01");
  EXPECT_EQ(words.findNote(f), "dormant: 1 file, not modified for more than three years");
  EXPECT_FALSE(words.whyHere(f).empty());
  f.kind = "old";
  EXPECT_EQ(words.findTitle(f), "old files in /");
  f.kind = "trash";
  f.place = "home/w/Trash";
  EXPECT_EQ(words.findTitle(f), "trash · w");
}

TEST(Words, ExplainOurWordsAndNoOthers) {
  for (const auto& word : words.known()) EXPECT_FALSE(words.explain(word).empty()) << word;
  EXPECT_FALSE(words.explain("BEDROCK").empty());
  EXPECT_TRUE(words.explain("no such word").empty());
}

TEST(Words, SayHowAQuestionWasUnderstood) {
  const auto said = [](std::string_view text) { return words.understood(parseQuestion(text, {}).value()); };
  for (const char* text :
       {"over 1 GB", "older 1 y", "video", "spent", "in srv", "files", "not video", "tape"})
    EXPECT_FALSE(said(text).empty()) << text;
  EXPECT_NE(said("not video"), said("video"));
  const auto bad = parseQuestion("tape, over lots", {});
  ASSERT_FALSE(bad);
  EXPECT_NE(words.notUnderstood(bad.error()).find("over lots"), std::string::npos);
}

}  // namespace
}  // namespace zt::test
