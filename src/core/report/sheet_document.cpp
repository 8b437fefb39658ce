// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/report/sheet_document.h"

#include <algorithm>
#include <array>

namespace zt {

namespace {

template <class... Of>
struct Each : Of... {
  using Of::operator()...;
};
template <class... Of>
Each(Of...) -> Each<Of...>;

std::string escaped(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (c == '&')
      out += "&amp;";
    else if (c == '<')
      out += "&lt;";
    else if (c == '>')
      out += "&gt;";
    else if (c == '"')
      out += "&quot;";
    else if (static_cast<unsigned char>(c) < 0x20 && c != '\n' && c != '\t')
      out += "\xEF\xBF\xBD";
    else
      out += c;
  }
  return out;
}

/// RFC 4648.
std::string base64(const std::string& bytes) {
  static constexpr std::string_view letters =
      "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string out;
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    const std::size_t count = std::min<std::size_t>(3, bytes.size() - i);
    unsigned group = 0;
    for (std::size_t k = 0; k < 3; ++k)
      group = group << 8 | (k < count ? static_cast<unsigned char>(bytes[i + k]) : 0u);
    for (std::size_t k = 0; k < 4; ++k) out += k <= count ? letters[group >> (18 - 6 * k) & 63] : '=';
  }
  return out;
}

constexpr const char* styleSheet = R"(
@page { size: A4; margin: 18mm }
body { font: 11pt/1.45 Lato, "DejaVu Sans", sans-serif; color: #1b1f23; max-width: 44em; margin: 2em auto; padding: 0 1em }
header { display: flex; justify-content: space-between; align-items: flex-end; border-bottom: 2px solid #1b1f23; padding-bottom: .5em }
header img { max-height: 4em; max-width: 12em }
h1 { font-size: 1.5em; margin: 0 } h2 { font-size: 1.1em; margin: 1.6em 0 .3em } p { margin: .3em 0 }
table { border-collapse: collapse; width: 100%; margin: .4em 0 } th, td { text-align: left; padding: .25em .8em .25em 0; border-bottom: 1px solid #c9ced3; vertical-align: top }
th { font-weight: 600 } .figure { text-align: right; white-space: nowrap; font-variant-numeric: tabular-nums }
code { font-family: "Noto Sans Mono", "DejaVu Sans Mono", monospace; background: #f1f3f4; padding: .1em .3em; overflow-wrap: anywhere }
td { overflow-wrap: anywhere } svg { width: 100%; height: auto; margin: .5em 0 } .annex { break-before: page } tr, li { break-inside: avoid }
@media print { body { margin: 0; max-width: none; padding: 0 } }
)";

std::string permille(Bytes part, Bytes whole) {
  if (whole == 0) return "0";
  const auto of = static_cast<unsigned>(static_cast<double>(std::min(part, whole)) * 10000.0 /
                                        static_cast<double>(whole));
  return std::to_string(of / 10) + "." + std::to_string(of % 10);
}

/// Two bars, what is used from the left; a mark where free bytes end that should stay.
std::string levelsSvg(const SheetDocument::Levels& l) {
  std::string svg = "<svg viewBox=\"0 0 1000 150\" role=\"img\"><title>" + escaped(l.meaning) + "</title>\n";
  const auto bar = [&](int y, Bytes free, const std::string& text) {
    const Bytes used = l.capacity - std::min(free, l.capacity);
    svg += "<text x=\"0\" y=\"" + std::to_string(y) +
           "\" font-size=\"19\" font-family=\"Lato, sans-serif\">" + escaped(text) + "</text>\n";
    svg += "<rect x=\"0\" y=\"" + std::to_string(y + 8) +
           "\" width=\"1000\" height=\"24\" fill=\"#dfe5ea\"/><rect x=\"0\" y=\"" + std::to_string(y + 8) +
           "\" width=\"" + permille(used, l.capacity) + "\" height=\"24\" fill=\"#3d5a73\"/>\n";
    if (l.headroom > 0 && l.headroom < l.capacity) {
      const std::string at = permille(l.capacity - l.headroom, l.capacity);
      svg += "<line x1=\"" + at + "\" x2=\"" + at + "\" y1=\"" + std::to_string(y + 3) + "\" y2=\"" +
             std::to_string(y + 37) + "\" stroke=\"#b3541e\" stroke-width=\"3\"/>\n";
    }
  };
  bar(20, l.freeBefore, l.before);
  bar(95, l.freeAfter, l.after);
  return svg + "</svg>\n";
}

std::string tableHtml(const SheetDocument::Table& table) {
  const auto cell = [&](const char* tag, std::size_t column, const std::string& text) {
    const std::string figure = column >= table.figuresFrom ? " class=\"figure\"" : "";
    // What somebody named from right to left stays within its cell.
    return std::string("<") + tag + figure + "><bdi>" + escaped(text) + "</bdi></" + tag + ">";
  };
  std::string out = "<table>\n<thead><tr>";
  for (std::size_t i = 0; i < table.columns.size(); ++i) out += cell("th", i, table.columns[i]);
  out += "</tr></thead>\n<tbody>\n";
  for (const auto& row : table.rows) {
    out += "<tr>";
    for (std::size_t i = 0; i < row.size(); ++i) out += cell("td", i, row[i]);
    out += "</tr>\n";
  }
  return out + "</tbody>\n</table>\n";
}

std::string marked(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (std::string_view("\\`*_[]<>|#").find(c) != std::string_view::npos) out += '\\';
    out += c == '\n' ? ' ' : c;
  }
  return out;
}

/// A cell. What would be a formula to a spreadsheet is text to it by a sign before.
std::string field(std::string text) {
  if (!text.empty() && std::string_view("=+-@\t\r").find(text[0]) != std::string_view::npos)
    text.insert(0, "'");
  for (std::size_t at = 0; (at = text.find('"', at)) != std::string::npos; at += 2) text.insert(at, 1, '"');
  return "\"" + text + "\"";
}

std::string rowsOf(const std::vector<std::string>& row, const char* between,
                   std::string (*written)(std::string)) {
  std::string out;
  for (const std::string& text : row) out += (out.empty() ? "" : between) + written(text);
  return out;
}

}  // namespace

std::string toHtml(const SheetDocument& d) {
  std::string out = "<!DOCTYPE html>\n<html lang=\"" + escaped(d.language) +
                    "\">\n<head>\n<meta charset=\"utf-8\">\n<title>" + escaped(d.title) +
                    "</title>\n<style>" + styleSheet + "</style>\n</head>\n<body>\n<header>\n<h1>" +
                    escaped(d.title) + "</h1>\n<div>";
  if (!d.logo.empty())
    out += std::string("<img alt=\"\" src=\"data:image/") + (d.logo.starts_with("\x89PNG") ? "png" : "jpeg") +
           ";base64," + base64(d.logo) + "\">";
  out += "<bdi>" + escaped(d.shop) + "</bdi></div>\n</header>\n<main>\n";
  bool inAnnex = false;
  for (const auto& part : d.parts)
    out += std::visit(
        Each{[](const SheetDocument::Heading& h) { return "<h2>" + escaped(h.text) + "</h2>\n"; },
             [](const SheetDocument::Paragraph& p) { return "<p>" + escaped(p.text) + "</p>\n"; },
             [](const SheetDocument::Command& c) { return "<p><code>" + escaped(c.text) + "</code></p>\n"; },
             [](const SheetDocument::Steps& s) {
               std::string list = "<ol>\n";
               for (const auto& item : s.items) list += "<li>" + escaped(item) + "</li>\n";
               return list + "</ol>\n";
             },
             [](const SheetDocument::Table& t) { return tableHtml(t); },
             [](const SheetDocument::Levels& l) { return levelsSvg(l); },
             [&](const SheetDocument::Annex&) {
               const std::string begin = inAnnex ? "</section>\n" : "";
               inAnnex = true;
               return begin + "<section class=\"annex\">\n";
             }},
        part);
  return out + (inAnnex ? "</section>\n" : "") + "</main>\n</body>\n</html>\n";
}

std::string toMarkdown(const SheetDocument& d) {
  std::string out = "# " + marked(d.title) + "\n\n";
  if (!d.shop.empty()) out += marked(d.shop) + "\n\n";
  const auto plain = [](std::string text) { return marked(text); };
  for (const auto& part : d.parts)
    out += std::visit(Each{[](const SheetDocument::Heading& h) { return "## " + marked(h.text) + "\n\n"; },
                           [](const SheetDocument::Paragraph& p) { return marked(p.text) + "\n\n"; },
                           [](const SheetDocument::Command& c) { return "    " + c.text + "\n\n"; },
                           [](const SheetDocument::Steps& s) {
                             std::string list;
                             for (std::size_t i = 0; i < s.items.size(); ++i)
                               list += std::to_string(i + 1) + ". " + marked(s.items[i]) + "\n";
                             return list + "\n";
                           },
                           [&](const SheetDocument::Table& t) {
                             std::string table = "| " + rowsOf(t.columns, " | ", plain) + " |\n|";
                             for (std::size_t i = 0; i < t.columns.size(); ++i)
                               table += i >= t.figuresFrom ? "---:|" : "---|";
                             for (const auto& row : t.rows)
                               table += "\n| " + rowsOf(row, " | ", plain) + " |";
                             return table + "\n\n";
                           },
                           [](const SheetDocument::Levels& l) {
                             return marked(l.before) + "  \n" + marked(l.after) + "\n\n";
                           },
                           [](const SheetDocument::Annex&) { return std::string("---\n\n"); }},
                      part);
  return out;
}

std::string toCsv(const SheetDocument& d) {
  std::string out;
  for (const auto& part : d.parts)
    if (const auto* table = std::get_if<SheetDocument::Table>(&part)) {
      if (!out.empty()) out += "\r\n";
      out += rowsOf(table->columns, ",", field) + "\r\n";
      for (const auto& row : table->rows) out += rowsOf(row, ",", field) + "\r\n";
    }
  return out;
}

}  // namespace zt
