// SPDX-License-Identifier: GPL-3.0-or-later
// Messages to the helper, a line each, on a root of its own.
#include "core/os/rights/helper_protocol.h"
#include "fuzz/fuzz.h"
#include "helper/drop_server.h"
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
  const auto points = std::make_shared<zt::test::FakeSnapshots>();
  for (const std::uint64_t id : {256u, 257u, 258u}) points->add(id);
  const zt::DropOrder order{std::string(32, 'c'), {{256, 256 * zt::nsPerSecond}}};
  zt::helper::DropServer dropping(
      files, [&](zt::FolderPtr) { return points; }, [](const std::string&) { return true; });
  dropping.handle(
      zt::helper::Json{{"jsonrpc", "2.0"},
                       {"id", 0},
                       {"method", "begin"},
                       {"params", {{"version", 1}, {"root", "/root"}, {"order", zt::helper::toJson(order)}}}}
          .dump());
  while (!input.empty()) {
    const auto end = std::min(input.find('\n'), input.size());
    (void)dropping.handle(input.substr(0, end));
    for (const std::uint64_t gone : points->gone)
      if (gone != 256) __builtin_trap();  // only what was ordered
    if (!server.handle(input.substr(0, end))) return;
    input.remove_prefix(std::min(input.size(), end + 1));
  }
  // What the other end would make of such answers.
  const auto json = zt::helper::Json::parse(input, nullptr, false);
  (void)zt::helper::statFrom(json);
}

ZT_FUZZ(fuzzHelper)
