// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/query/answer.h"

#include <gtest/gtest.h>

#include <random>

#include "support/planned.h"
#include "support/seed.h"

namespace zt::test {
namespace {

constexpr const char* globs =
    "# comment\n50:audio/x-wav:*.wav\n50:application/x-compressed-tar:*.tar.gz\n50:application/gzip:*.gz\n"
    "50:video/mp4:*.mp4\n40:application/pdf:*.pdf\n50:text/x-makefile:makefile\n10:text/x-readme:readme*\n"
    "50:application/x-sharedlib:*.so.[0-9]*\nbroken line\n50:image/png:*.PNG:cs\n";

TEST(KindTable, TellsKindsByName) {
  const KindTable table(globs);
  EXPECT_EQ(table.of("Dawn Chorus.WAV"), FileKind::sound);
  EXPECT_EQ(table.of("backup.tar.gz"), FileKind::archive);
  EXPECT_EQ(table.of("nest.png"), FileKind::picture);
  EXPECT_EQ(table.of("Makefile"), FileKind::document);
  EXPECT_EQ(table.of("README.first"), FileKind::document);
  EXPECT_EQ(table.of("libx.so.6"), FileKind::program);
  EXPECT_EQ(table.of("season.mp4"), FileKind::video);
  EXPECT_EQ(table.of("no-ending"), FileKind::other);
  EXPECT_EQ(table.of(""), FileKind::other);
  EXPECT_EQ(table.of(std::string(255, '.')), FileKind::other);
  EXPECT_EQ(KindTable().of("a.wav"), FileKind::other);
}

TEST(KindTable, TriesTheHeaviestPatternFirstWhateverItsLetters) {
  const KindTable table(
      "10:text/plain:*notes*\n60:video/mp4:clip[0-9]*\n80:image/png:[0-9]?\n40:audio/wav:*[xy]q~\n"
      "5:text/plain:q*\n");
  EXPECT_EQ(table.of("My-NOTES-2"), FileKind::document);
  EXPECT_EQ(table.of("CLIP7"), FileKind::video);
  EXPECT_EQ(table.of("clip7-notes"), FileKind::video) << "the heavier of two";
  EXPECT_EQ(table.of("3z"), FileKind::picture) << "a pattern without a letter of its own";
  EXPECT_EQ(table.of("ayq~"), FileKind::sound);
  EXPECT_EQ(table.of("qxq~"), FileKind::sound);
  EXPECT_EQ(table.of("qzq~"), FileKind::document);
  EXPECT_EQ(table.of("clipx"), FileKind::other);
  EXPECT_EQ(table.of("zz"), FileKind::other);
  EXPECT_EQ(table.of("\xC4NOTES\xDA"), FileKind::document) << "only letters of ASCII have a case";
}

TEST(KindTable, KnowsTheDatabaseOfThisMachine) {
  const auto table = KindTable::ofThisMachine();
  ASSERT_TRUE(table) << "shared-mime-info is among the packages";
  EXPECT_GT(table->patterns(), 500u);
  const std::pair<const char*, FileKind> known[] = {
      {"a.flac", FileKind::sound},    {"a.jpeg", FileKind::picture}, {"a.mkv", FileKind::video},
      {"a.zip", FileKind::archive},   {"a.odt", FileKind::document}, {"a.deb", FileKind::archive},
      {"a.qcow2", FileKind::archive}, {"a.iso", FileKind::archive},  {"a.xlsx", FileKind::document},
      {"a.zst", FileKind::archive},   {"a.o", FileKind::program},    {"a.docx", FileKind::document}};
  for (const auto& [name, kind] : known)
    EXPECT_EQ(table->of(name), kind) << name << " " << zt::name(table->of(name));
}

OwnerNames someOwners() {
  return OwnerNames::fromList("root:x:0:0::/root:/bin/sh\nwarden:x:7:7::/home/warden:/bin/sh\n");
}

struct Station {
  MemoryFileSystem files;
  std::shared_ptr<Survey> survey;
  ContextPtr context;
  explicit Station(const std::function<void(MemoryFileSystem&)>& make) {
    make(files);
    survey = surveyOf(borrowed(files), "/");
    FindOptions options;
    options.owners = someOwners();
    options.now = 1'000'000'000'000 + 400 * nsPerDay;
    options.kinds = KindTable(globs);
    context = contextOf(survey, false, options);
  }
  std::vector<std::string> paths(const std::string& line) const {
    const auto question = parseQuestion(line, questionWords(*context));
    std::vector<std::string> all;
    if (!question)
      return {"error " + std::to_string(question.error().sysErrno) + ": " + question.error().detail};
    for (const NodeId id : answer(*context, *question, {})) all.push_back(survey->tree.path(id));
    std::sort(all.begin(), all.end());
    return all;
  }
};

TEST(Question, AnswersByNameSizeAgeOwnerAndKind) {
  const Station s([](MemoryFileSystem& files) {
    files.add("sound/Dawn.wav", std::string(90'000, 'x'))->stat.owner = 7;
    files.add("sound/old.mp4", std::string(5'000, 'x'))->stat.modified = 1;
    files.add("sound/two words.pdf", "x");
  });
  using Paths = std::vector<std::string>;
  EXPECT_EQ(s.paths("dawn"), (Paths{"sound/Dawn.wav"}));
  EXPECT_EQ(s.paths("*.mp4"), (Paths{"sound/old.mp4"}));
  EXPECT_EQ(s.paths("o, files"), (Paths{"sound/old.mp4", "sound/two words.pdf"}));
  EXPECT_EQ(s.paths("over 50 kB, files"), (Paths{"sound/Dawn.wav"}));
  EXPECT_EQ(s.paths("under 5 kB, files"), (Paths{"sound/two words.pdf"}));
  EXPECT_EQ(s.paths("older 1 y, files, video"), (Paths{"sound/old.mp4"}));
  EXPECT_EQ(s.paths("Video"), (Paths{"sound/old.mp4"})) << "words in any case";
  EXPECT_EQ(s.paths("of warden"), (Paths{"sound/Dawn.wav"}));
  EXPECT_EQ(s.paths("sound, document"), (Paths{"sound/Dawn.wav", "sound/two words.pdf"}));
  EXPECT_EQ(s.paths("\"two words\""), (Paths{"sound/two words.pdf"}));
  EXPECT_EQ(s.paths("folders"), (Paths{"sound"}));
  EXPECT_EQ(s.paths("in sound"), (Paths{"sound/Dawn.wav", "sound/old.mp4", "sound/two words.pdf"}));
  EXPECT_EQ(s.paths("in sound, not video"), (Paths{"sound/Dawn.wav", "sound/two words.pdf"}));
  EXPECT_EQ(s.paths("in ./sound//, video"), (Paths{"sound/old.mp4"})) << "paths are read in one way";
  for (const char* bad :
       {"over", "over lots", "older 5", "older 1 x", "older -1 d", "of nobody", "in", "in nowhere"}) {
    const auto said = s.paths(std::string("dawn, ") + bad);
    ASSERT_EQ(said.size(), 1u) << bad;
    EXPECT_EQ(said[0], std::string("error 7: ") + bad);
  }
}

/// What a pattern means, said as shortly as it can be; slow.
bool plainly(std::string_view pattern, std::string_view name) {
  if (pattern.empty()) return name.empty();
  if (pattern[0] == '*')
    return plainly(pattern.substr(1), name) || (!name.empty() && plainly(pattern, name.substr(1)));
  return !name.empty() && (pattern[0] == '?' || pattern[0] == name[0]) &&
         plainly(pattern.substr(1), name.substr(1));
}

TEST(Question, MatchesPatternsAsTheyAreMeant) {
  const auto seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  std::mt19937 random(seed);
  const auto word = [&](std::string_view letters, std::size_t most) {
    std::string text;
    for (std::size_t n = 1 + random() % most; n > 0; --n) text += letters[random() % letters.size()];
    return text;
  };
  const Station s([&](MemoryFileSystem& files) {
    for (int i = 0; i < 60; ++i) files.add(word("ab", 7), "x");
  });
  for (int i = 0; i < 300; ++i) {
    const std::string pattern = word("ab*?", 6);
    if (pattern.find_first_of("*?") == std::string::npos) continue;
    std::vector<std::string> expected;
    for (NodeId id = 1; id < s.survey->tree.size(); ++id)
      if (plainly(pattern, s.survey->tree.name(id))) expected.emplace_back(s.survey->tree.name(id));
    std::sort(expected.begin(), expected.end());
    EXPECT_EQ(s.paths(pattern), expected) << pattern;
  }
}

/// Every byte in every place of a name: only the letters of ASCII have another case.
TEST(Question, KnowsTheCaseOfAsciiLettersOnly) {
  const Station s([](MemoryFileSystem& files) {
    for (int c = 1; c < 256; ++c) {
      if (c == '/') continue;
      for (const std::size_t place : {0u, 7u, 9u, 17u}) {
        std::string name(18, '.');
        name[place] = static_cast<char>(c);
        files.add("d" + std::to_string(c) + "/" + name, "x");
      }
    }
  });
  for (int c = 'a' - 40; c < 256; ++c) {
    if (std::string_view("/\"\\").find(static_cast<char>(c)) != std::string_view::npos || c == '.') continue;
    const bool letter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
    EXPECT_EQ(s.paths("files, \"" + std::string(1, static_cast<char>(c)) + "\"").size(), letter ? 8u : 4u)
        << c;
  }
}

TEST(Question, AQuestionMarkIsOneCharacterHoweverManyBytes) {
  const Station s([](MemoryFileSystem& files) {
    files.add("m\xC3\xB6we.wav", "x");
    files.add("mowe.wav", "x");
    files.add("moowe.wav", "x");
    files.add("m\xF6we.wav", "x");  // not UTF-8
    files.add("[x].wav", "x");
  });
  EXPECT_EQ(s.paths("m?we.wav"), (std::vector<std::string>{"mowe.wav", "m\xC3\xB6we.wav", "m\xF6we.wav"}));
  EXPECT_EQ(s.paths("[x]*"), (std::vector<std::string>{"[x].wav"})) << "brackets are letters";
}

TEST(Question, FindsTheFilesOfACellOfTheField) {
  const Station s([](MemoryFileSystem& files) {
    const TimeNs then = 1'000'000'000'000;
    const auto add = [&](const char* path, std::size_t bytes, int days) {
      files.add(path, std::string(bytes, 'x'))->stat.modified = then - days * nsPerDay;
    };
    add("d/small-new", 100, 0);
    add("d/small-old", 100, 2000);
    add("d/big-old", 2'000'000, 2000);
    add("d/big-half", 2'000'000, 100);
  });
  const_cast<Survey&>(*s.survey).finished = 1'000'000'000'000;
  const auto in = [&](FieldRange range) {
    Question query;
    query.field = range;
    EXPECT_FALSE(query.empty());
    std::vector<std::string> names;
    for (const NodeId id : answer(*s.context, query, {})) names.emplace_back(s.survey->tree.name(id));
    std::sort(names.begin(), names.end());
    return names;
  };
  using Names = std::vector<std::string>;
  EXPECT_EQ(in({}), (Names{"big-half", "big-old", "small-new", "small-old"})) << "folders are in no cell";
  EXPECT_EQ(in({AgeBand::older, AgeBand::older, 0, 0}), (Names{"small-old"}));
  EXPECT_EQ(in({AgeBand::halfYear, AgeBand::older, 2, 2}), (Names{"big-half", "big-old"}));
  EXPECT_EQ(in({AgeBand::today, AgeBand::today, 3, 6}), Names{});
}

TEST(Question, CompletesTheLastCondition) {
  const QuestionWords words{someOwners(), {}};
  const auto offered = completeQuestion("dawn, vi", words);
  EXPECT_NE(std::find(offered.begin(), offered.end(), "dawn, video"), offered.end());
  const auto owners = completeQuestion("of w", words);
  EXPECT_NE(std::find(owners.begin(), owners.end(), "of warden"), owners.end());
}

/// Whatever question there is: its text is read as the same question, letter for letter.
TEST(Question, IsReadBackFromItsText) {
  const auto seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  std::mt19937_64 random(seed);
  const QuestionWords words{someOwners(), {"large", "trash"}};
  using Sort = Condition::Sort;
  const auto odd = [&] {
    std::string text;
    for (std::size_t n = 1 + random() % 9; n > 0; --n)
      text += "aB ,\"\\*?.-\n\xC3\xB6\xFF_7in"[random() % 18];
    return text;
  };
  for (int round = 0; round < 3000; ++round) {
    Question q;
    for (std::size_t n = random() % 4; n > 0; --n) {
      Condition c;
      c.sort = static_cast<Sort>(random() % 12);
      c.negated = random() % 3 == 0;
      if (c.sort == Sort::over || c.sort == Sort::under)
        c.bytes = 1 + (random() % 2 == 0 ? random() >> 2 : random() % 900 * 1'000'000);
      if (c.sort == Sort::older || c.sort == Sort::newer) c.days = 1 + static_cast<int>(random() % 4000);
      if (c.sort == Sort::kind)
        c.text = name(static_cast<FileKind>(random() % static_cast<unsigned>(fileKinds)));
      if (c.sort == Sort::standing)
        c.text = name(static_cast<Standing>(random() % static_cast<unsigned>(standings)));
      if (c.sort == Sort::findKind) c.text = random() % 2 == 0 ? "large" : "trash";
      if (c.sort == Sort::owner) c.text = random() % 2 == 0 ? "warden" : "root";
      if (c.sort == Sort::in) c.text = odd();
      if (c.sort == Sort::name) c.text = odd(), c.literal = true;
      q.conditions.push_back(c);
    }
    const std::string text = questionText(q);
    const auto back = parseQuestion(text, words);
    if (!back && !back.error().path.empty()) continue;  // nothing can be both
    ASSERT_TRUE(back) << text << ": " << back.error().detail;
    ASSERT_EQ(*back, q) << text;
  }
}

TEST(SortList, AgreesWithAWholeSortOnRandomLists) {
  const auto seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  std::mt19937 random(seed);
  const Station s([&](MemoryFileSystem& files) {
    for (int i = 0; i < 400; ++i) {
      const auto node = files.add(
          "d" + std::to_string(random() % 9) + "/" + std::to_string(random() % 90) + "x" + std::to_string(i),
          std::string(random() % 5 * 4000, 'x'));
      node->stat.owner = static_cast<std::uint32_t>(random() % 3);
      node->stat.modified = static_cast<TimeNs>(random() % 50) - 25;
    }
  });
  for (int column = 0; column < listColumns; ++column)
    for (const bool down : {false, true}) {
      auto whole = answer(*s.context, {}, {});
      sortList(*s.context, whole, static_cast<ListColumn>(column), down, whole.size());
      for (std::size_t i = 1; i < whole.size(); ++i) {
        const auto key = [&](NodeId id) {
          return std::pair(columnValue(*s.context, id, static_cast<ListColumn>(column)),
                           column == 0 ? s.survey->tree.name(id) : std::string_view());
        };
        ASSERT_TRUE(down ? key(whole[i - 1]) >= key(whole[i]) : key(whole[i - 1]) <= key(whole[i])) << column;
      }
      auto first = answer(*s.context, {}, {});
      std::shuffle(first.begin(), first.end(), random);
      sortList(*s.context, first, static_cast<ListColumn>(column), down, 30);
      EXPECT_TRUE(std::equal(first.begin(), first.begin() + 30, whole.begin())) << column;
      auto few = answer(*s.context, {}, {});
      std::shuffle(few.begin(), few.end(), random);
      const std::size_t rows = random() % 20;
      sortList(*s.context, few, static_cast<ListColumn>(column), down, rows);
      EXPECT_TRUE(std::equal(few.begin(), few.begin() + static_cast<std::ptrdiff_t>(rows), whole.begin()));
      EXPECT_TRUE(std::is_permutation(few.begin(), few.end(), whole.begin(), whole.end())) << "none is lost";
    }
}

}  // namespace
}  // namespace zt::test
