// SPDX-License-Identifier: GPL-3.0-or-later
// zip-tally-page: sets a sheet as a PDF document. Reads the sheet's HTML on standard input, writes the file
// that its one argument names, which must not be there, and reads nothing else: no files, no network. A
// program of its own, so that the command line needs no toolkit.
#include <QBuffer>
#include <QFile>
#include <QGuiApplication>
#include <QImage>
#include <QPainter>
#include <QSvgRenderer>
#include <algorithm>
#include <cstdio>
#include <cstdlib>

#include "page/tagged_pdf.h"

namespace {

constexpr qint64 mostInput = qint64{64} * 1024 * 1024;
constexpr int noSpace = 3;  // what it ends with where the drive is full

/// For the build of the package: one drawing in one size.
int drawIcon(int size, const QString& file) {
  QFile in;
  if (!in.open(stdin, QIODevice::ReadOnly)) return 1;
  QSvgRenderer renderer(in.read(mostInput));
  QImage picture(size, size, QImage::Format_ARGB32);
  picture.fill(Qt::transparent);
  QPainter painter(&picture);
  renderer.render(&painter);
  painter.end();
  return renderer.isValid() && picture.save(file, "PNG") ? 0 : 1;
}

/// Writes a file that was not there, whole or not at all. Gives what the program ends with.
int keep(const QByteArray& page, const QString& file) {
  QFile out(file);
  const bool opened = out.open(QIODevice::WriteOnly | QIODevice::NewOnly | QIODevice::Unbuffered);
  if (opened && out.write(page) == page.size()) return 0;
  const bool full = out.error() == QFileDevice::ResourceError;
  std::fprintf(stderr, "zip-tally-page: %s\n", qPrintable(out.errorString()));
  if (opened) out.remove();  // a part of a sheet is none
  return full ? noSpace : 1;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc == 4 && qstrcmp(argv[1], "--icon") == 0)
    return drawIcon(std::max(8, std::atoi(argv[2])), QFile::decodeName(argv[3]));
  if (argc != 2) return std::fputs("usage: zip-tally-page FILE.pdf <sheet.html\n", stderr), 2;
  qputenv("QT_QPA_PLATFORM", "offscreen");
  // What the toolkit misses here (a session, a screen) is nothing to whoever asked for a page.
  qInstallMessageHandler([](QtMsgType, const QMessageLogContext&, const QString&) {});
  char program[] = "zip-tally-page";
  char* own[] = {program, nullptr};
  int count = 1;
  const QGuiApplication app(count, own);
  QFile in;
  if (!in.open(stdin, QIODevice::ReadOnly)) return 1;
  const QByteArray html = in.read(mostInput + 1);
  if (html.isEmpty() || html.size() > mostInput) return std::fputs("zip-tally-page: no sheet\n", stderr), 1;
  QBuffer page;
  if (!page.open(QIODevice::WriteOnly) || !zt::page::printPdf(QString::fromUtf8(html), page)) return 1;
  return keep(page.data(), QFile::decodeName(argv[1]));
}
