// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/peek.h"

#include <algorithm>
#include <array>
#include <cstdio>

namespace zt {

namespace {

constexpr std::size_t mostText = 64 * 1024;
constexpr std::size_t mostPicture = 32 * 1024 * 1024;

/// Valid UTF-8 without control characters but tabs and line ends. The last character may be cut.
bool isText(std::string_view bytes) {
  std::size_t follow = 0;
  for (const char c : bytes) {
    const auto b = static_cast<unsigned char>(c);
    if (follow > 0) {
      if ((b & 0xC0) != 0x80) return false;
      --follow;
    } else if (b < 0x20) {
      if (b != '\n' && b != '\t' && b != '\r' && b != '\f' && b != 0x1B) return false;
    } else if (b >= 0x80) {
      follow = b >= 0xF0 && b < 0xF5 ? 3 : b >= 0xE0 && b < 0xF0 ? 2 : b >= 0xC2 && b < 0xE0 ? 1 : 9;
      if (follow == 9) return false;
    }
  }
  return true;
}

}  // namespace

Result<Peek> peek(FileSystemReader& files, const Folder& root, const Survey& survey, NodeId file,
                  bool picture) {
  const PathBytes path = survey.tree.path(file);
  const auto folder = files.openBeneath(root, parentPath(path));
  if (!folder) return tl::unexpected(folder.error());
  const auto stat = files.stat(**folder, baseName(path));
  if (!stat) return tl::unexpected(stat.error());
  if (!sameContent(identityOf(*stat), survey.tree.identity(file))) return fail(Errc::changed, "look", path);
  const bool wanted = picture && stat->length <= mostPicture;
  auto head = files.readHead(**folder, baseName(path), wanted ? mostPicture : mostText);
  if (!head) return tl::unexpected(head.error());
  Peek p;
  p.length = head->size;
  p.head = std::move(head->bytes);
  p.whole = p.head.size() == p.length;
  p.form = wanted ? Peek::Form::picture : isText(p.head) ? Peek::Form::text : Peek::Form::bytes;
  return p;
}

std::string hexTable(std::string_view bytes) {
  std::string table;
  for (std::size_t at = 0; at < bytes.size(); at += 16) {
    const auto row = bytes.substr(at, 16);
    std::array<char, 24> number;
    std::snprintf(number.data(), number.size(), "%08zx ", at);
    table += number.data();
    for (std::size_t i = 0; i < 16; ++i) {
      if (i == 8) table += ' ';
      if (i < row.size()) {
        std::snprintf(number.data(), number.size(), " %02x",
                      static_cast<unsigned>(static_cast<unsigned char>(row[i])));
        table += number.data();
      } else {
        table += "   ";
      }
    }
    table += "  ";
    for (const char c : row) table += c >= 0x20 && c < 0x7F ? c : '.';
    table += '\n';
  }
  return table;
}

}  // namespace zt
