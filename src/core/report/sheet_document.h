// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <variant>
#include <vector>

#include "core/base/bytes.h"

namespace zt {

/// A document of plain parts, before it is written in any form. All texts are UTF-8, paths escaped for
/// showing.
struct SheetDocument {
  struct Heading {
    std::string text;
  };
  struct Paragraph {
    std::string text;
  };
  /// Something to be typed as it stands.
  struct Command {
    std::string text;
  };
  struct Steps {
    std::vector<std::string> items;  ///< to be done in this order
  };
  struct Table {
    std::vector<std::string> columns;
    std::vector<std::vector<std::string>> rows;
    std::size_t figuresFrom = 1;  ///< columns from here on are figures, set to the right
  };
  /// The Level of the drive at two times.
  struct Levels {
    Bytes capacity = 0;
    Bytes freeBefore = 0, freeAfter = 0;
    Bytes headroom = 0;         ///< should stay free; 0: nobody asks for any
    std::string before, after;  ///< what stands at them
    std::string meaning;        ///< said to whoever cannot see it
  };
  /// What follows is for the shop, on a page of its own.
  struct Annex {};
  using Part = std::variant<Heading, Paragraph, Command, Steps, Table, Levels, Annex>;

  std::string language = "en";
  std::string title;
  std::string shop;
  std::string logo;  ///< bytes of a PNG or JPEG
  std::vector<Part> parts;
};

/// HTML 5 in one file, without scripts and without anything from elsewhere; prints on A4.
std::string toHtml(const SheetDocument& document);
/// CommonMark with tables (GitHub Flavored Markdown 0.29).
std::string toMarkdown(const SheetDocument& document);
/// Its tables one after the other, RFC 4180.
std::string toCsv(const SheetDocument& document);

}  // namespace zt
