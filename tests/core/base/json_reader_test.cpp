// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/json_reader.h"

#include <gtest/gtest.h>

namespace zt::test {
namespace {

enum class Sail : std::uint8_t { jib, main };
std::string_view name(Sail sail) {
  return sail == Sail::jib ? "jib" : "main";
}

/// The place of the first thing that is wrong in a document of boats.
std::string faultIn(const char* text) {
  const Json json = parseJson(text);
  JsonReader in(json);
  in.each("boats", 3, [](JsonReader& boat) {
    (void)boat.text("name", 8);
    (void)boat.number<std::uint8_t>("crew");
    (void)boat.flagOr("afloat", true);
    (void)boat.choiceOr<Sail>("sail", 2, Sail::jib);
    boat.object("berth", [](JsonReader& berth) { (void)berth.path("place"); });
  });
  EXPECT_EQ(in.ok(), in.fault().empty());
  return in.fault();
}

TEST(JsonReader, TakesWhatIsRight) {
  EXPECT_EQ(faultIn(R"({"boats":[]})"), "");
  EXPECT_EQ(faultIn(R"({"boats":[{"name":"gull","crew":3,"sail":"main","berth":{"place":"a"}}]})"), "");
}

TEST(JsonReader, NamesThePlaceOfTheFirstFault) {
  const std::pair<const char*, const char*> cases[] = {
      {R"({})", "boats"},
      {R"({"boats":{}})", "boats"},
      {R"({"boats":[1]})", "boats[0]"},
      {R"({"boats":[{},{},{},{}]})", "boats"},
      {R"({"boats":[{"crew":3,"berth":{"place":"a"}}]})", "boats[0].name"},
      {R"({"boats":[{"name":"much-too-long","crew":3,"berth":{"place":"a"}}]})", "boats[0].name"},
      {R"({"boats":[{"name":"a","crew":300,"berth":{"place":"a"}}]})", "boats[0].crew"},
      {R"({"boats":[{"name":"a","crew":-1,"berth":{"place":"a"}}]})", "boats[0].crew"},
      {R"({"boats":[{"name":"a","crew":1.5,"berth":{"place":"a"}}]})", "boats[0].crew"},
      {R"({"boats":[{"name":"a","crew":1,"afloat":1,"berth":{"place":"a"}}]})", "boats[0].afloat"},
      {R"({"boats":[{"name":"a","crew":1,"sail":"genoa","berth":{"place":"a"}}]})", "boats[0].sail"},
      {R"({"boats":[{"name":"a","crew":1}]})", "boats[0].berth"},
      {R"({"boats":[{"name":"a","crew":1,"berth":{"place":"a"}},{"name":"b","crew":1,"berth":{"place":7}}]})",
       "boats[1].berth.place"}};
  for (const auto& [text, place] : cases) EXPECT_EQ(faultIn(text), place) << text;
}

TEST(JsonReader, KeepsPathsToTheByte) {
  for (const std::string& path :
       {std::string("plain"), std::string("odd\xFF\nname"), std::string("\\x41"), std::string("\u202Egnp")}) {
    Json j = Json::object();
    putPath(j, "path", path);
    const Json back = parseJson(j.dump());
    JsonReader in(back);
    EXPECT_EQ(in.path("path"), path);
    EXPECT_TRUE(in.ok());
  }
}

TEST(ParseJson, RefusesWhatIsNoneAndWhatIsTooDeep) {
  for (const char* text : {"", "{", "nonsense", "\xFF"}) EXPECT_TRUE(parseJson(text).is_null()) << text;
  EXPECT_TRUE(parseJson(std::string(100'000, '[') + std::string(100'000, ']')).is_null());
}

}  // namespace
}  // namespace zt::test
