// SPDX-License-Identifier: GPL-3.0-or-later
// Messages to the helper, a line each, on a root of its own.
#include "core/os/rights/helper_protocol.h"
#include "fuzz/fuzz.h"
#include "helper/server.h"
#include "support/fakes.h"
#include "support/memory_file_system.h"

void fuzzHelper(std::string_view input) {
  zt::test::MemoryFileSystem files;
  files.add("root/in/file", "x");
  files.add("outside/secret", "x");
  zt::test::FakeOpenFiles open;
  zt::test::FakeInsides insides;
  zt::helper::Server server(files, open, insides, [](const std::string& line) {
    const auto reply = zt::helper::Json::parse(line, nullptr, false);
    if (reply.is_discarded() || line.find("secret") != std::string::npos) __builtin_trap();
    return true;
  });
  server.handle(R"({"jsonrpc":"2.0","id":0,"method":"begin","params":{"version":1,"root":"/root"}})");
  while (!input.empty()) {
    const auto end = std::min(input.find('\n'), input.size());
    if (!server.handle(input.substr(0, end))) return;
    input.remove_prefix(std::min(input.size(), end + 1));
  }
  // What the other end would make of such answers.
  const auto json = zt::helper::Json::parse(input, nullptr, false);
  (void)zt::helper::statFrom(json);
}

ZT_FUZZ(fuzzHelper)
