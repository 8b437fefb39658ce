// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/query.h"

#include <gtest/gtest.h>

#include <random>

#include "support/fakes.h"
#include "support/memory_file_system.h"

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

struct Station {
  MemoryFileSystem files;
  std::shared_ptr<Survey> survey;
  std::unique_ptr<FindContext> context;
  explicit Station(const std::function<void(MemoryFileSystem&)>& make) {
    make(files);
    survey = surveyOf(files, "/");
    FindOptions options;
    options.now = 1'000'000'000'000 + 400 * nsPerDay;
    options.kinds = KindTable(globs);
    context = std::make_unique<FindContext>(*survey, Catalogue::builtIn(), Anchor{}, options, true);
  }
  std::vector<std::string> paths(const std::string& line) const {
    const auto query = parseQuery(line, [](std::string_view name) {
      return name == "warden" ? std::optional<std::uint32_t>(7) : std::nullopt;
    });
    std::vector<std::string> all;
    if (!query) return {"error: " + query.error().detail};
    for (const NodeId id : answer(*context, *query, {})) all.push_back(survey->tree.path(id));
    std::sort(all.begin(), all.end());
    return all;
  }
};

TEST(Query, AnswersByNameSizeAgeOwnerAndKind) {
  const Station s([](MemoryFileSystem& files) {
    files.add("sound/Dawn.wav", std::string(90'000, 'x'))->stat.owner = 7;
    files.add("sound/old.mp4", std::string(5'000, 'x'))->stat.modified = 1;
    files.add("sound/two words.pdf", "x");
  });
  using Paths = std::vector<std::string>;
  EXPECT_EQ(s.paths("dawn"), (Paths{"sound/Dawn.wav"}));
  EXPECT_EQ(s.paths("*.mp4"), (Paths{"sound/old.mp4"}));
  EXPECT_EQ(s.paths("o is:file"), (Paths{"sound/old.mp4", "sound/two words.pdf"}));
  EXPECT_EQ(s.paths("size>50kB is:file"), (Paths{"sound/Dawn.wav"}));
  EXPECT_EQ(s.paths("size<8kB is:file"), (Paths{"sound/two words.pdf"}));
  EXPECT_EQ(s.paths("age>1y is:file kind:video"), (Paths{"sound/old.mp4"}));
  EXPECT_EQ(s.paths("owner:warden"), (Paths{"sound/Dawn.wav"}));
  EXPECT_EQ(s.paths("kind:sound kind:document"), (Paths{"sound/Dawn.wav", "sound/two words.pdf"}));
  EXPECT_EQ(s.paths("\"two words\""), (Paths{"sound/two words.pdf"}));
  EXPECT_EQ(s.paths("is:folder"), (Paths{"sound"}));
  EXPECT_EQ(s.paths("in:sound *"), (Paths{"sound/Dawn.wav", "sound/old.mp4", "sound/two words.pdf"}));
  EXPECT_EQ(s.paths("in:nowhere"), Paths{});
  for (const char* bad : {"size>", "size>lots", "age>5", "age>1x", "age>-1d", "kind:song", "owner:nobody",
                          "is:it", "standing:x"})
    EXPECT_EQ(s.paths(bad), (Paths{std::string("error: ") + bad}));
}

TEST(Query, CompletesTheLastWord) {
  const auto words = completeQuery("dawn ki", {"warden"});
  EXPECT_NE(std::find(words.begin(), words.end(), "dawn kind:sound"), words.end());
  EXPECT_EQ(completeQuery("owner:w", {"warden"}), (std::vector<std::string>{"owner:warden"}));
  EXPECT_TRUE(completeQuery("dawn ", {}).empty());
  for (const auto& word : completeQuery("s", {"warden"})) {
    const auto parsed = parseQuery(word, [](auto) { return 1u; });
    EXPECT_TRUE(parsed || word.back() == '>' || word.back() == '<' || word.back() == ':') << word;
  }
}

TEST(SortList, AgreesWithAWholeSortOnRandomLists) {
  const auto seed = std::random_device{}();
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
    }
}

}  // namespace
}  // namespace zt::test
