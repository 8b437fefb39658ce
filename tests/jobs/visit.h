// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <gtest/gtest.h>

#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {

using Json = nlohmann::json;

/// A technician's visit to a stand-in drive, by the command line.
struct Visit : ::testing::Test {
  void visit(const std::string& name, const std::string& target) {
    drive = t / name;
    ASSERT_EQ(runProgram({ZTALLY, "demo", drive, "--drive", name}).status, 0);
    ASSERT_EQ(runProgram({ZTALLY, "measure", drive, "--stand-in", "--job", job, "--job-on-drive", "--target",
                          target})
                  .status,
              0);
  }
  Ran ztally(std::vector<std::string> words) {
    words.insert(words.begin(), ZTALLY);
    words.insert(words.end(), {"--job", job, "--json"});
    return runProgram(words);
  }
  /// The first find of a kind that holds a path.
  Json find(const std::string& kind, const std::string& path) {
    const Json all = ztally({"finds", "--kind", kind}).json()["finds"];
    for (const Json& f : all)
      for (const Json& item : f["items"])
        if (item["path"].get<std::string>().starts_with(path)) return f;
    ADD_FAILURE() << "no " << kind << " at " << path;
    return Json::object();
  }
  /// Agrees, carries out, and gives what the counter rose by.
  Bytes carryOut(std::string* consents = nullptr) {
    const Json asked = ztally({"reclaim"}).json();
    if (consents != nullptr)
      for (const Json& line : asked["consent"]["lines"]) *consents += line["text"].get<std::string>() + "\n";
    const std::string token = asked["consent"]["token"];
    EXPECT_EQ(ztally({"reclaim", "--consent", token}).status, 0);
    const Json proof = ztally({"prove"}).json();
    return proof["free_after_bytes"].get<Bytes>() - proof["free_before_bytes"].get<Bytes>();
  }
  TempFolder t;
  std::string job = t / "visit.ztjob";
  std::string drive;
};

}  // namespace zt::test
