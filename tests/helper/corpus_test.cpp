// SPDX-License-Identifier: GPL-3.0-or-later
// Every input that the fuzzers found worth keeping, once more; and each of them cut and bent.
#include <gtest/gtest.h>

#include <chrono>
#include <filesystem>
#include <fstream>
#include <random>
#include <vector>

#include "fuzz/fuzz.h"
#include "support/seed.h"

namespace {

std::vector<std::string> corpus(const std::string& name) {
  std::vector<std::string> inputs;
  for (const auto& entry : std::filesystem::directory_iterator(ZT_CORPUS + std::string("/") + name)) {
    std::ifstream in(entry.path(), std::ios::binary);
    inputs.emplace_back(std::istreambuf_iterator<char>(in), std::istreambuf_iterator<char>());
  }
  EXPECT_GE(inputs.size(), 5u) << name;
  return inputs;
}

void replay(const std::string& name, void (*target)(std::string_view)) {
  const auto seed = zt::test::drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  std::mt19937 random(seed);
  for (const std::string& input : corpus(name)) {
    const auto start = std::chrono::steady_clock::now();
    target(input);
    // Of one that takes long (that is what it is kept for) a few bent ones are enough.
    const bool slow = std::chrono::steady_clock::now() - start > std::chrono::milliseconds(20);
    for (int i = 0; i < (slow ? 2 : 60); ++i) {
      std::string bent = input.substr(0, random() % (input.size() + 1));
      for (auto flips = random() % 4; flips-- > 0 && !bent.empty();)
        bent[random() % bent.size()] = static_cast<char>(random());
      target(bent);
    }
  }
}

TEST(Corpus, OfSurveysIsBorne) {
  replay("survey", fuzzSurvey);
}
TEST(Corpus, OfHelperMessagesIsBorne) {
  replay("helper", fuzzHelper);
}
TEST(Corpus, OfRecordsIsBorne) {
  replay("records", fuzzRecords);
}
TEST(Corpus, OfImagesIsBorne) {
  replay("images", fuzzImages);
}

}  // namespace
