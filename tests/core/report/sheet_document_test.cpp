// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/report/sheet_document.h"

#include <gtest/gtest.h>

namespace zt::test {
namespace {

SheetDocument sampleSheet() {
  SheetDocument d;
  d.title = "<Drive> & \"co\"";
  d.shop = "Bench";
  d.logo = "\x89PNG\r\n\x1a\nabc";
  d.parts.push_back(SheetDocument::Heading{"What *was* done"});
  d.parts.push_back(SheetDocument::Table{{"what", "bytes"}, {{"a|b \"c\"\nd", "1"}}, 1});
  d.parts.push_back(SheetDocument::Steps{{"first", "second"}});
  SheetDocument::Levels levels;
  levels.capacity = 1000;
  levels.freeBefore = 100;
  levels.freeAfter = 2000;
  levels.headroom = 150;
  levels.meaning = "it is";
  d.parts.push_back(levels);
  d.parts.push_back(SheetDocument::Annex{});
  d.parts.push_back(SheetDocument::Paragraph{std::string("\x01<script>alert(1)</script>")});
  return d;
}

TEST(Sheet, NothingOfATextIsEverMarkup) {
  const std::string html = toHtml(sampleSheet());
  EXPECT_NE(html.find("&lt;Drive&gt; &amp; &quot;co&quot;"), std::string::npos);
  EXPECT_EQ(html.find("<script"), std::string::npos);
  EXPECT_EQ(html.find('\x01'), std::string::npos);
  EXPECT_NE(html.find("data:image/png;base64,iVBORw0KGgphYmM="), std::string::npos) << html.substr(0, 3000);
  EXPECT_NE(html.find("width=\"900.0\""), std::string::npos) << "nine tenths are used before";
  EXPECT_NE(html.find("width=\"0.0\""), std::string::npos) << "never more free than there is";
  EXPECT_NE(html.find("x1=\"850.0\""), std::string::npos);
  EXPECT_NE(html.find("class=\"annex\""), std::string::npos);
  // Every part that is opened is closed.
  for (const char* tag : {"table", "section", "main", "header", "ol", "svg", "tr", "body", "html"}) {
    std::size_t open = 0, shut = 0;
    for (std::size_t at = 0; (at = html.find("<" + std::string(tag), at)) != std::string::npos; ++at)
      open += std::string(" >").find(html[at + 1 + std::string(tag).size()]) != std::string::npos;
    for (std::size_t at = 0; (at = html.find("</" + std::string(tag) + ">", at)) != std::string::npos; ++at)
      ++shut;
    EXPECT_EQ(open, shut) << tag;
  }
}

TEST(Sheet, MarkdownAndTablesKeepTheirCells) {
  const std::string md = toMarkdown(sampleSheet());
  EXPECT_NE(md.find("## What \\*was\\* done"), std::string::npos);
  EXPECT_NE(md.find("| a\\|b \"c\" d | 1 |"), std::string::npos) << md;
  EXPECT_NE(md.find("|---|---:|"), std::string::npos);
  EXPECT_NE(md.find("2. second"), std::string::npos);
  SheetDocument formula;
  formula.parts.push_back(SheetDocument::Table{{"=1+1"}, {{"@SUM(A1)"}}, 1});
  EXPECT_EQ(toCsv(formula), "\"'=1+1\"\r\n\"'@SUM(A1)\"\r\n");
  EXPECT_EQ(toCsv(sampleSheet()), "\"what\",\"bytes\"\r\n\"a|b \"\"c\"\"\nd\",\"1\"\r\n");
}

}  // namespace
}  // namespace zt::test
