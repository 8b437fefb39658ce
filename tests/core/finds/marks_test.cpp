// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/marks.h"

#include <gtest/gtest.h>

#include "core/finds/find_list.h"
#include "core/plan/plan_json.h"
#include "support/fakes.h"
#include "support/memory_file_system.h"

namespace zt::test {
namespace {

Find findOf(std::initializer_list<const char*> paths, Standing standing = Standing::ownersCall) {
  Find find;
  find.id = *paths.begin();
  find.judged = find.standing = standing;
  for (const char* path : paths) {
    find.items.emplace_back();
    find.items.back().path = path;
  }
  return find;
}

TEST(Marks, TheNearestOnTheWayWins) {
  Marks marks;
  marks.set("srv", Mark::keep);
  marks.set("srv/films/old", Mark::mayGo);
  EXPECT_EQ(marks.of("srv/films/new"), Mark::keep);
  EXPECT_EQ(marks.of("srv/films/old/one"), Mark::mayGo);
  EXPECT_EQ(marks.of("srv"), Mark::keep);
  EXPECT_FALSE(marks.of("srvx"));
  EXPECT_FALSE(marks.of(""));
  marks.set("srv", std::nullopt);
  EXPECT_FALSE(marks.of("srv/films/new"));
  EXPECT_EQ(marks.all().size(), 1u);
}

TEST(Marks, LockWhatWouldTakeAKeptThingAlong) {
  Marks marks;
  marks.set("srv/films/wedding", Mark::keep);
  EXPECT_TRUE(marks.locks("srv/films/wedding"));
  EXPECT_TRUE(marks.locks("srv/films/wedding/part-1"));
  EXPECT_TRUE(marks.locks("srv/films")) << "it would go with its folder";
  EXPECT_TRUE(marks.locks("srv"));
  EXPECT_FALSE(marks.locks("srv/films/other"));
  EXPECT_FALSE(marks.locks("srv/films/wedding-2"));
  EXPECT_TRUE(marks.locks(findOf({"srv/films/other", "srv/films"})));
  EXPECT_FALSE(marks.locks(findOf({"srv/films/other"})));
}

TEST(Marks, OfAFindAreThoseThatAllItsThingsShare) {
  Marks marks;
  marks.set("a", Mark::mayGo);
  marks.set("b", Mark::notNow);
  EXPECT_EQ(marks.of(findOf({"a/1", "a/2"})), Mark::mayGo);
  EXPECT_FALSE(marks.of(findOf({"a/1", "b/1"})));
  EXPECT_FALSE(marks.of(findOf({"a/1", "c"})));
}

TEST(Marks, KeepTheirNamesInDocuments) {
  Marks marks;
  marks.set("odd\xFF\nname", Mark::keep);
  marks.set("b", Mark::notNow);
  marks.set("c", Mark::mayGo);
  const auto back = marksFromJson(parseJson(toJson(marks).dump()));
  ASSERT_TRUE(back);
  EXPECT_EQ(*back, marks);
  EXPECT_FALSE(marksFromJson(parseJson(R"([{"path":"a","mark":"perhaps"}])")));
  EXPECT_FALSE(marksFromJson(parseJson(R"({"a":1})")));
}

TEST(Marks, GoAlongWithTheirEntryAndKeepWhereItWas) {
  const auto files = std::make_shared<MemoryFileSystem>();
  const auto inodeOf = [&](const char* path, const char* content) {
    return files->add(path, content)->stat.inode;
  };
  const auto one = inodeOf("new/one", "1");
  const auto other = inodeOf("old/other", "2");
  const auto gone = inodeOf("renamed", "3");
  inodeOf("old/two", "4");
  Marks said;
  said.put("old/one", {Mark::mayGo, one, false});        // its folder was moved
  said.put("old/two", {Mark::mayGo, other, false});      // another file has its name, and it another name
  said.put("old/three", {Mark::keep, gone, false});      // renamed
  said.put("old/four", {Mark::notNow, 999'999, false});  // out of sight
  said.put("old", {Mark::keep, 0, true});                // of an earlier version, which knew only paths
  const Marks now = said.on(surveyOf(files, "/")->tree);
  EXPECT_EQ(now.of("new/one"), Mark::mayGo);
  EXPECT_FALSE(now.all().contains("old/two")) << "nobody said of this one that it may go";
  EXPECT_FALSE(now.all().contains("old/other")) << "the number alone may be another file's";
  EXPECT_EQ(now.of("renamed"), Mark::keep);
  EXPECT_EQ(now.of("old/three"), Mark::keep) << "what was kept there once is not taken by its name either";
  EXPECT_EQ(now.of("old/four"), Mark::notNow);
  EXPECT_EQ(now.of("old"), Mark::keep);
  EXPECT_EQ(now.on(surveyOf(files, "/")->tree), now) << "and then nothing moves any more";
}

TEST(FindList, LetsFindsStandAsTheMarksSay) {
  FindList list;
  list.add(findOf({"srv/a"}));
  list.add(findOf({"srv/b"}, Standing::spent));
  Marks marks;
  marks.set("srv/a", Mark::keep);
  const FindList::Rest none = [](const Find&) { return std::nullopt; };
  const FindList marked = list.marked(marks, none);
  ASSERT_EQ(marked.size(), 2u);
  EXPECT_EQ(marked.find("srv/a")->standing, Standing::kept);
  EXPECT_EQ(marked.find("srv/a")->judged, Standing::ownersCall) << "what is known is not forgotten";
  EXPECT_EQ(marked.find("srv/b")->standing, Standing::spent);
  EXPECT_EQ(list.find("srv/a")->standing, Standing::ownersCall) << "the list before is what it was";
  EXPECT_EQ(list.marked({}, none).find("srv/a")->standing, Standing::ownersCall);
  EXPECT_EQ(marked.find("none"), nullptr);
}

}  // namespace
}  // namespace zt::test
