// SPDX-License-Identifier: GPL-3.0-or-later
#include "page/sheet_page.h"

#include <QImage>
#include <QPainter>
#include <QRegularExpression>
#include <QSvgRenderer>
#include <QUrl>

namespace zt::page {

SheetPage::SheetPage(const QString& html, int width, QObject* parent) : QTextDocument(parent) {
  setDefaultFont(QFont(QStringLiteral("Lato"), 10));
  setHtml(takePictures(html, width));
}

QVariant SheetPage::loadResource(int, const QUrl&) {
  return {};
}

/// The text documents of the toolkit know neither drawings nor data addresses: each becomes a named picture.
QString SheetPage::takePictures(QString html, int width) {
  int count = 0;
  const auto put = [&](const QImage& picture, int shownWidth, qsizetype from, qsizetype length,
                       const QString& block, const QString& meaning) {
    const QString name = QStringLiteral("sheet:%1").arg(count++);
    addResource(ImageResource, QUrl(name), picture);
    const QString tag = block.arg(
        QStringLiteral("<img src=\"%1\" width=\"%2\" alt=\"%3\">").arg(name).arg(shownWidth).arg(meaning));
    html.replace(from, length, tag);
    return from + tag.size();
  };
  qsizetype at = 0;
  for (qsizetype from; (from = html.indexOf(QLatin1String("<svg"), at)) >= 0;) {
    const qsizetype end = html.indexOf(QLatin1String("</svg>"), from);
    if (end < 0) break;
    QString drawing = html.mid(from, end + 6 - from);
    drawing.insert(4, QLatin1String(" xmlns=\"http://www.w3.org/2000/svg\""));
    QSvgRenderer renderer(drawing.toUtf8());
    QImage picture(width * 3, width * 3 * 150 / 1000, QImage::Format_ARGB32);
    picture.fill(Qt::white);
    QPainter painter(&picture);
    renderer.render(&painter);
    painter.end();
    const qsizetype said = drawing.indexOf(QLatin1String("<title>")) + 7;
    at = put(picture, width, from, end + 6 - from, QStringLiteral("<p>%1</p>"),
             drawing.mid(said, drawing.indexOf(QLatin1String("</title>")) - said));
  }
  static const QRegularExpression data(
      QStringLiteral("<img alt=\"\" src=\"data:image/(png|jpeg);base64,([A-Za-z0-9+/=]*)\">"));
  for (auto found = data.match(html); found.hasMatch(); found = data.match(html)) {
    QImage logo = QImage::fromData(QByteArray::fromBase64(found.captured(2).toLatin1()));
    if (!logo.isNull() && logo.height() > 200) logo = logo.scaledToHeight(200, Qt::SmoothTransformation);
    put(logo, logo.isNull() ? 0 : logo.width() / 3, found.capturedStart(), found.capturedLength(),
        QStringLiteral("%1"), {});
  }
  // Nor widths of tables and pages by their style.
  html.replace(QLatin1String("<section class=\"annex\">"),
               QLatin1String("<div style=\"page-break-before:always\">"));
  html.replace(QLatin1String("</section>"), QLatin1String("</div>"));
  html.replace(QLatin1String("<table>"), QLatin1String("<table width=\"100%\">"));
  return html;
}

}  // namespace zt::page
