// SPDX-License-Identifier: GPL-3.0-or-later
// The toolkit's own writer of PDF knows no tags (Qt 6.4); cairo's does.
#include "page/tagged_pdf.h"

#include <cairo-pdf.h>
#include <pango/pangocairo.h>

#include <QIODevice>
#include <QImage>
#include <QTextBlock>
#include <QTextDocumentFragment>
#include <QTextFrame>
#include <QTextList>
#include <QTextTable>
#include <algorithm>
#include <memory>
#include <numeric>
#include <vector>

#include "page/sheet_page.h"

namespace zt::page {

namespace {

// Points.
constexpr double pageWidth = 595.28, pageHeight = 841.89, margin = 45.4, gap = 10;
constexpr double bottom = pageHeight - margin, inner = pageWidth - 2 * margin;
constexpr double indent = 18;
constexpr const char* textFonts = "Lato, DejaVu Sans, sans-serif";
constexpr const char* codeFonts = "Noto Sans Mono, DejaVu Sans Mono, monospace";

using Layout = std::unique_ptr<PangoLayout, decltype(&g_object_unref)>;

/// How a text is set.
struct Type {
  double size = 10;
  bool bold = false;
  bool code = false;
  bool right = false;
};

/// One element of the document's structure, as long as it lives.
class Tag {
public:
  Tag(cairo_t* cr, const char* name) : cr_(cr), name_(name) { cairo_tag_begin(cr_, name_, nullptr); }
  ~Tag() { cairo_tag_end(cr_, name_); }
  Tag(const Tag&) = delete;
  Tag& operator=(const Tag&) = delete;

private:
  cairo_t* cr_;
  const char* name_;
};

class Setter {
public:
  Setter(const QTextDocument& sheet, cairo_t* cr) : sheet_(sheet), cr_(cr) {}

  void set() {
    const Tag document(cr_, "Document");
    setFrame(*sheet_.rootFrame());
    endList();
  }

private:
  void setFrame(const QTextFrame& frame) {
    for (auto it = frame.begin(); !it.atEnd(); ++it)
      if (const auto* table = qobject_cast<const QTextTable*>(it.currentFrame()))
        setTable(*table);
      else if (it.currentFrame() != nullptr)
        setFrame(*it.currentFrame());
      else
        setBlock(it.currentBlock());
  }

  void setBlock(const QTextBlock& block) {
    if (block.blockFormat().pageBreakPolicy() & QTextFormat::PageBreak_AlwaysBefore) nextPage();
    const QTextList* list = block.textList();
    if (list == nullptr) endList();
    bool code = false;
    for (auto it = block.begin(); !it.atEnd(); ++it) {
      const QTextCharFormat format = it.fragment().charFormat();
      if (format.isImageFormat()) setPicture(format.toImageFormat());
      code =
          code || format.fontFamilies().toStringList().join(QLatin1Char(',')).contains(QLatin1String("Mono"));
    }
    const QString text = block.text().remove(QChar::ObjectReplacementCharacter).trimmed();
    if (text.isEmpty()) return;
    const int level = block.blockFormat().headingLevel();
    if (list != nullptr) return setItem(*list, block, text);
    if (level > 0) y_ += gap * 0.6;
    // A heading stays with what it is of.
    setText(level == 1  ? "H1"
            : level > 1 ? "H2"
                        : "P",
            text,
            {level == 1  ? 16.0
             : level > 1 ? 12.0
                         : 10.0,
             level > 0, code, false},
            level > 1 ? 40 : 0);
    if (level == 1) {
      y_ += 3;
      rule(1.2, 0);
      y_ += 4;
    }
    y_ += gap * 0.3;
  }

  void setItem(const QTextList& list, const QTextBlock& block, const QString& text) {
    if (!inList_) cairo_tag_begin(cr_, "L", nullptr);
    inList_ = true;
    const Tag item(cr_, "LI");
    const Layout label = laidOut(list.itemText(block), indent, {}), body = laidOut(text, inner - indent, {});
    makeRoom(heightOf(body.get()));
    const double top = y_;
    show("Lbl", label.get(), margin);
    y_ = top;
    show("LBody", body.get(), margin + indent);
  }

  void endList() {
    if (!inList_) return;
    inList_ = false;
    cairo_tag_end(cr_, "L");
    y_ += gap * 0.3;
  }

  void setText(const char* tag, const QString& text, const Type& type, double with = 0) {
    const Layout layout = laidOut(text, inner, type);
    makeRoom(heightOf(layout.get()) + with);
    show(tag, layout.get(), margin);
  }

  Layout laidOut(const QString& text, double width, const Type& type) const {
    Layout layout(pango_cairo_create_layout(cr_), &g_object_unref);
    PangoFontDescription* font = pango_font_description_from_string(type.code ? codeFonts : textFonts);
    pango_font_description_set_absolute_size(font, type.size * PANGO_SCALE);
    pango_font_description_set_weight(font, type.bold ? PANGO_WEIGHT_SEMIBOLD : PANGO_WEIGHT_NORMAL);
    pango_layout_set_font_description(layout.get(), font);
    pango_font_description_free(font);
    // Of what is written as one sign whoever reads it aloud sees but one.
    PangoAttrList* features = pango_attr_list_new();
    pango_attr_list_insert(features, pango_attr_font_features_new("liga=0, clig=0, dlig=0"));
    // A name has no hyphen that it does not have.
    pango_attr_list_insert(features, pango_attr_insert_hyphens_new(FALSE));
    pango_layout_set_attributes(layout.get(), features);
    pango_attr_list_unref(features);
    const QByteArray bytes = text.toUtf8();
    pango_layout_set_text(layout.get(), bytes.constData(), static_cast<int>(bytes.size()));
    pango_layout_set_wrap(layout.get(), PANGO_WRAP_WORD_CHAR);
    if (width > 0) pango_layout_set_width(layout.get(), static_cast<int>(width * PANGO_SCALE));
    if (type.right) pango_layout_set_alignment(layout.get(), PANGO_ALIGN_RIGHT);
    return layout;
  }

  static double heightOf(PangoLayout* layout) {
    int height = 0;
    pango_layout_get_size(layout, nullptr, &height);
    return static_cast<double>(height) / PANGO_SCALE;
  }
  static double widthOf(PangoLayout* layout) {
    int width = 0;
    pango_layout_get_size(layout, &width, nullptr);
    return static_cast<double>(width) / PANGO_SCALE;
  }

  /// Line by line, so that what is longer than a page goes on on the next.
  void show(const char* name, PangoLayout* layout, double x) {
    const Tag tag(cr_, name);
    for (int i = 0; i < pango_layout_get_line_count(layout); ++i) {
      PangoLayoutLine* line = pango_layout_get_line_readonly(layout, i);
      PangoRectangle extents;
      pango_layout_line_get_extents(line, nullptr, &extents);
      const double height = static_cast<double>(extents.height) / PANGO_SCALE;
      makeRoom(height);
      const int whole = pango_layout_get_width(layout);
      const bool right = pango_layout_get_alignment(layout) == PANGO_ALIGN_RIGHT;
      const bool turned = line->resolved_dir == PANGO_DIRECTION_RTL;
      const double free = static_cast<double>(std::max(0, whole - extents.width)) / PANGO_SCALE;
      cairo_move_to(cr_, x + (right || turned ? free : 0), y_ - static_cast<double>(extents.y) / PANGO_SCALE);
      pango_cairo_show_layout_line(cr_, line);
      y_ += height;
    }
  }

  void makeRoom(double height) {
    if (y_ + height > bottom && y_ > margin) nextPage();
  }
  void nextPage() {
    if (y_ > margin) cairo_show_page(cr_);
    y_ = margin;
  }

  void rule(double width, double grey) {
    cairo_save(cr_);
    cairo_set_source_rgb(cr_, grey, grey, grey);
    cairo_set_line_width(cr_, width);
    cairo_move_to(cr_, margin, y_);
    cairo_line_to(cr_, margin + inner, y_);
    cairo_stroke(cr_);
    cairo_restore(cr_);
  }

  /// What it shows stands under it in words, where it has any.
  void setPicture(const QTextImageFormat& format) {
    QImage image = sheet_.resource(QTextDocument::ImageResource, QUrl(format.name())).value<QImage>();
    if (image.isNull() || format.width() <= 0) return;
    image = image.convertToFormat(QImage::Format_ARGB32_Premultiplied);
    const double scale = std::min(format.width(), inner) / image.width();
    makeRoom(image.height() * scale + gap);
    {
      const Tag figure(cr_, "Figure");
      cairo_surface_t* picture =
          cairo_image_surface_create_for_data(image.bits(), CAIRO_FORMAT_ARGB32, image.width(),
                                              image.height(), static_cast<int>(image.bytesPerLine()));
      cairo_save(cr_);
      cairo_translate(cr_, margin, y_);
      cairo_scale(cr_, scale, scale);
      cairo_set_source_surface(cr_, picture, 0, 0);
      cairo_paint(cr_);
      cairo_restore(cr_);
      cairo_surface_finish(picture);
      cairo_surface_destroy(picture);
    }
    y_ += image.height() * scale;
    if (const QString words = format.property(QTextFormat::ImageAltText).toString(); !words.isEmpty())
      setText("Caption", words, {8, false, false, false});
    y_ += gap * 0.4;
  }

  /// A cell's text, and how it is set.
  struct Cell {
    QString text;
    Type type;
  };
  static Cell cellOf(const QTextTable& table, int row, int column) {
    const QTextBlock block = table.cellAt(row, column).firstCursorPosition().block();
    return {block.text().trimmed(),
            {9, row < std::max(1, table.format().headerRowCount()), false,
             (block.blockFormat().alignment() & Qt::AlignRight) != 0}};
  }

  /// Each has the width that it would like; where that is too much, those that like the most share what the
  /// others leave.
  std::vector<double> widthsOf(const QTextTable& table) const {
    std::vector<double> widths(static_cast<std::size_t>(table.columns()), 0);
    for (int r = 0; r < table.rows(); ++r)
      for (int c = 0; c < table.columns(); ++c) {
        const Cell cell = cellOf(table, r, c);
        double& width = widths[static_cast<std::size_t>(c)];
        width = std::max(width, widthOf(laidOut(cell.text, 0, cell.type).get()) + gap);
      }
    const double like = std::accumulate(widths.begin(), widths.end(), 0.0);
    if (like <= inner) return widths.front() += inner - like, widths;
    std::vector<std::size_t> order(widths.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::sort(order.begin(), order.end(),
              [&](std::size_t x, std::size_t y) { return widths[x] < widths[y]; });
    double left = inner;
    for (std::size_t i = 0; i < order.size(); ++i) {
      double& width = widths[order[i]];
      width = std::min(width, left / static_cast<double>(order.size() - i));
      left -= width;
    }
    return widths;
  }

  void setTable(const QTextTable& table) {
    endList();
    const Tag whole(cr_, "Table");
    const std::vector<double> widths = widthsOf(table);
    y_ += gap * 0.3;
    for (int r = 0; r < table.rows(); ++r) {
      const Tag row(cr_, "TR");
      std::vector<Layout> cells;
      double height = 0;
      for (int c = 0; c < table.columns(); ++c) {
        const Cell cell = cellOf(table, r, c);
        const double apart = c + 1 < table.columns() ? gap : 0;
        cells.push_back(laidOut(cell.text, widths[static_cast<std::size_t>(c)] - apart, cell.type));
        height = std::max(height, heightOf(cells.back().get()));
      }
      makeRoom(std::min(height, bottom - margin));
      setRow(cells, widths, r < std::max(1, table.format().headerRowCount()) ? "TH" : "TD");
    }
    y_ += gap * 0.6;
  }

  void setRow(const std::vector<Layout>& cells, const std::vector<double>& widths, const char* tag) {
    const double top = y_;
    double x = margin, end = top;
    for (std::size_t i = 0; i < cells.size(); ++i) {
      y_ = top;
      show(tag, cells[i].get(), x);
      // One that went on on the next page is where the row ends.
      end = y_ < top ? y_ : std::max(end, y_);
      x += widths[i];
    }
    y_ = end + 2;
    rule(0.4, 0.75);
    y_ += 2;
  }

  const QTextDocument& sheet_;
  cairo_t* cr_;
  double y_ = margin;
  bool inList_ = false;
};

cairo_status_t put(void* out, const unsigned char* bytes, unsigned length) {
  const auto size = static_cast<qint64>(length);
  return static_cast<QIODevice*>(out)->write(reinterpret_cast<const char*>(bytes), size) == size
             ? CAIRO_STATUS_SUCCESS
             : CAIRO_STATUS_WRITE_ERROR;
}

}  // namespace

bool printPdf(const QString& html, QIODevice& out) {
  const SheetPage sheet(html, static_cast<int>(inner));
  cairo_surface_t* surface = cairo_pdf_surface_create_for_stream(&put, &out, pageWidth, pageHeight);
  const qsizetype from = html.indexOf(QLatin1String("<title>")) + 7;
  const QByteArray title = html.mid(from, html.indexOf(QLatin1String("</title>")) - from).toUtf8();
  cairo_pdf_surface_set_metadata(surface, CAIRO_PDF_METADATA_TITLE, title.constData());
  cairo_pdf_surface_set_metadata(surface, CAIRO_PDF_METADATA_CREATOR, "Zip Tally");
  cairo_t* cr = cairo_create(surface);
  Setter(sheet, cr).set();
  const bool drawn = cairo_status(cr) == CAIRO_STATUS_SUCCESS;
  cairo_destroy(cr);
  cairo_surface_finish(surface);
  const bool written = cairo_surface_status(surface) == CAIRO_STATUS_SUCCESS;
  cairo_surface_destroy(surface);
  return drawn && written;
}

}  // namespace zt::page
