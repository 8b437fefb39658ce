// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/files/exchange.h"

#include <gtest/gtest.h>

#include <random>

#include "core/survey/files/survey_codec.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/memory_file_system.h"

namespace zt::test {
namespace {

std::shared_ptr<Survey> sample() {
  static MemoryFileSystem files;
  if (!files.has("a/one")) {
    files.add("a/one", std::string(9000, 'x'));
    files.add("b/");
    files.link("a/one", "b/again");
    files.add("a/=formula,\"quoted\"\nline\xff", "x")->stat.modified = -5;
    files.add("a/deep/er/still", "x")->stat.owner = 1234;
    files.add("empty/");
  }
  auto survey = surveyOf(borrowed(files), "/");
  survey->usage.capacity = survey->statement.capacity = 1'000'000;
  survey->statement.put(StatementLine::files, survey->tree.totals(0).occupied, LineSource::walked);
  survey->statement.balance();
  survey->fsType = "ext4";
  survey->driveId = "a-b";
  return survey;
}

std::string exported(const Survey& survey, ExchangeForm form) {
  std::string text;
  EXPECT_TRUE(exportSurvey(survey, form, [&](std::string_view piece) { return text.append(piece), true; }));
  return text;
}

/// Gives the text in pieces of odd sizes.
Result<SurveyPtr> imported(ExchangeForm form, const std::string& text) {
  std::size_t at = 0;
  return importSurvey(form, [&]() -> std::optional<std::string> {
    const std::string piece = text.substr(std::min(at, text.size()), 777);
    at += piece.size();
    return piece;
  });
}

TEST(Exchange, GivesBackEveryEntry) {
  const auto survey = sample();
  for (const auto form : {ExchangeForm::jsonLines, ExchangeForm::csv}) {
    const auto back = imported(form, exported(*survey, form));
    ASSERT_TRUE(back) << back.error().detail;
    EXPECT_TRUE((*back)->imported);
    ASSERT_EQ((*back)->tree.entries(), survey->tree.entries());
    for (NodeId id = 0; id < survey->tree.size(); ++id) {
      const auto there = (*back)->tree.find(survey->tree.path(id));
      ASSERT_TRUE(there) << survey->tree.path(id);
      EXPECT_EQ((*back)->tree.occupied(*there), survey->tree.occupied(id));
      EXPECT_EQ((*back)->tree.length(*there), survey->tree.length(id));
      EXPECT_EQ((*back)->tree.modified(*there), survey->tree.modified(id));
      EXPECT_EQ((*back)->tree.owner(*there), survey->tree.owner(id));
      EXPECT_EQ((*back)->tree.isLinked(*there), survey->tree.isLinked(id));
    }
    EXPECT_EQ((*back)->tree.totals(0).exclusive, survey->tree.totals(0).exclusive);
    EXPECT_EQ((*back)->statement[StatementLine::files], survey->statement[StatementLine::files]);
  }
  const auto json = imported(ExchangeForm::jsonLines, exported(*survey, ExchangeForm::jsonLines)).value();
  EXPECT_EQ(json->statement.sum(), survey->statement.sum());
  EXPECT_EQ(json->statement.source(StatementLine::files), LineSource::walked);
  EXPECT_EQ(json->fsType, "ext4");
}

TEST(Exchange, KeepsSpreadsheetsFromTakingNamesForFormulas) {
  const std::string csv = exported(*sample(), ExchangeForm::csv);
  EXPECT_EQ(csv.find("\n="), std::string::npos);
  EXPECT_NE(csv.find("\"./a/=formula,\"\"quoted\"\""), std::string::npos) << csv;
}

TEST(Exchange, RefusesWhatIsCutAnywhere) {
  const auto survey = sample();
  for (const auto form : {ExchangeForm::jsonLines, ExchangeForm::csv}) {
    const std::string whole = exported(*survey, form);
    for (std::size_t size = 0; size < whole.size(); ++size) {
      const auto back = imported(form, whole.substr(0, size));
      if (!back) continue;
      // A table that ends after a row is a shorter table; nothing in it says how long it was.
      EXPECT_EQ(form, ExchangeForm::csv) << size;
      EXPECT_LE((*back)->tree.entries(), survey->tree.entries());
    }
  }
}

TEST(Exchange, NamesTheLineThatIsWrong) {
  std::string csv = exported(*sample(), ExchangeForm::csv);
  csv += "./a/one/below-a-file,file,1,1,1,1,0,0,0,0\r\n";
  const auto back = imported(ExchangeForm::csv, csv);
  ASSERT_FALSE(back);
  EXPECT_EQ(codeOf(back), Errc::badInput);
  EXPECT_NE(back.error().detail.find("line "), std::string::npos);
  EXPECT_EQ(codeOf(imported(ExchangeForm::jsonLines, "hello")), Errc::notOurs);
  EXPECT_EQ(codeOf(imported(ExchangeForm::csv, "a,b\n")), Errc::notOurs);
}

TEST(Exchange, SaysWhenItCannotBeWritten) {
  int room = 0;
  const auto survey = sample();
  EXPECT_EQ(codeOf(exportSurvey(*survey, ExchangeForm::csv, [&](auto) { return room-- > 0; })), Errc::io);
  EXPECT_EQ(codeOf(exportSurvey(*survey, ExchangeForm::jsonLines, [&](auto) { return false; })), Errc::io);
  EXPECT_EQ(exchangeFormOf("x.jsonl.zst"), ExchangeForm::jsonLines);
  EXPECT_FALSE(exchangeFormOf("x.txt"));
}

/// A saved survey, cut at every length and with every bit turned: the same again, or a clear error.
TEST(SurveyCodec, NoticesEveryCutAndEveryTurnedBit) {
  const auto survey = sample();
  const auto pieces = encodeSurvey(*survey);
  ASSERT_EQ(pieces.size(), 2u);
  for (std::size_t p = 0; p < pieces.size(); ++p) {
    for (std::size_t size = 0; size < pieces[p].size(); ++size) {
      auto cut = pieces;
      cut[p].resize(size);
      const auto back = decodeSurvey(cut);
      ASSERT_FALSE(back) << p << " cut to " << size;
      EXPECT_TRUE(back.error().code == Errc::corrupt || back.error().code == Errc::notOurs);
    }
    for (std::size_t bit = 0; bit < pieces[p].size() * 8; ++bit) {
      auto bent = pieces;
      bent[p][bit / 8] = static_cast<char>(bent[p][bit / 8] ^ (1 << bit % 8));
      const auto back = decodeSurvey(bent);
      EXPECT_TRUE(!back || (*back)->tree.entries() == survey->tree.entries()) << p << " bit " << bit;
    }
  }
  EXPECT_EQ(codeOf(decodeSurvey(std::vector<std::string>{pieces[0]})), Errc::corrupt);
  EXPECT_EQ(codeOf(decodeSurvey(std::vector<std::string>{pieces[0], pieces[1], pieces[1]})), Errc::corrupt);
}

TEST(SurveyCodec, KeepsExtremes) {
  MemoryFileSystem files;
  const auto odd = files.add("x/odd", "1");
  odd->stat.modified = INT64_MIN + 5;
  odd->stat.length = Bytes{INT64_MAX};
  odd->stat.occupied = Bytes{5} << 41;
  odd->stat.inode = ~0ull;
  const auto late = files.add("x/late", "1");
  late->stat.modified = INT64_MAX - nsPerSecond;
  late->stat.accessed = INT64_MAX;
  const auto survey = surveyOf(borrowed(files), "/");
  const auto back = decodeSurvey(encodeSurvey(*survey));
  ASSERT_TRUE(back);
  for (const char* path : {"x/odd", "x/late"}) {
    const NodeId id = *survey->tree.find(path);
    EXPECT_EQ((*back)->tree.identity(id), survey->tree.identity(id)) << path;
    EXPECT_EQ((*back)->tree.occupied(id), survey->tree.occupied(id));
    EXPECT_EQ((*back)->tree.accessedSeconds(id), survey->tree.accessedSeconds(id));
  }
}

}  // namespace
}  // namespace zt::test
