// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/peek.h"

#include <gtest/gtest.h>

#include "support/code_of.h"
#include "support/fakes.h"
#include "support/memory_file_system.h"

namespace zt::test {
namespace {

struct Shelf {
  MemoryFileSystem files;
  std::shared_ptr<Survey> survey;
  Result<Peek> look(const std::string& path, bool picture = false) {
    const auto root = files.openRoot("/").value();
    return peek(files, *root, *survey, *survey->tree.find(path), picture);
  }
};

TEST(Peek, TellsTextFromBytes) {
  Shelf s;
  s.files.add("plain", "two\nlines\n");
  s.files.add("umlaut", "gr\xC3\xBC\xC3\x9F");
  s.files.add("cut", "whole and cut \xC3");
  s.files.add("latin", "gr\xFC\xDF");
  s.files.add("zeros", std::string(10, '\0'));
  s.survey = surveyOf(borrowed(s.files), "/");
  EXPECT_EQ(s.look("plain")->form, Peek::Form::text);
  EXPECT_EQ(s.look("umlaut")->form, Peek::Form::text);
  EXPECT_EQ(s.look("cut")->form, Peek::Form::text) << "a head may end within a character";
  EXPECT_EQ(s.look("latin")->form, Peek::Form::bytes);
  EXPECT_EQ(s.look("zeros")->form, Peek::Form::bytes);
  EXPECT_TRUE(s.look("plain")->whole);
  EXPECT_EQ(s.look("plain")->length, 10u);
}

TEST(Peek, ReadsAHeadOfLongFilesAndAllOfAPicture) {
  Shelf s;
  s.files.add("long", std::string(1'000'000, 'x'));
  s.survey = surveyOf(borrowed(s.files), "/");
  const auto head = s.look("long").value();
  EXPECT_FALSE(head.whole);
  EXPECT_LE(head.head.size(), 65'536u);
  EXPECT_EQ(head.length, 1'000'000u);
  const auto picture = s.look("long", true).value();
  EXPECT_EQ(picture.form, Peek::Form::picture);
  EXPECT_TRUE(picture.whole);
}

TEST(Peek, ShowsOnlyWhatWasMeasured) {
  Shelf s;
  s.files.add("place/file", "as it was");
  s.files.add("place/gone", "x");
  s.survey = surveyOf(borrowed(s.files), "/");
  EXPECT_EQ(codeOf(s.look("place")), Errc::notAFile) << "a folder is listed from the survey";
  s.files.add("place/file", "as it is now, and longer");
  EXPECT_EQ(codeOf(s.look("place/file")), Errc::changed);
  ASSERT_TRUE(s.files.unlink(*s.files.openRoot("/place").value(), "gone"));
  EXPECT_EQ(codeOf(s.look("place/gone")), Errc::notThere);
}

TEST(HexTable, ShowsPlacesBytesAndLetters) {
  const std::string table = hexTable(std::string("Dawn\0\xFF chorus at five", 22));
  EXPECT_NE(table.find("00000000  44 61 77 6e 00 ff 20 63  68"), std::string::npos) << table;
  EXPECT_NE(table.find("Dawn.. chorus at"), std::string::npos) << table;
  EXPECT_NE(table.find("00000010"), std::string::npos);
  EXPECT_EQ(hexTable({}), "");
}

}  // namespace
}  // namespace zt::test
