// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

class QIODevice;

namespace zt::page {

/// Writes a sheet's HTML as PDF on A4: fonts embedded, and tagged (ISO 32000-1, 14.8: headings, paragraphs,
/// lists, tables with their heads, pictures with what they show in words), so that it is read aloud in its
/// order. False where it could not be written whole. The thread that owns the application's fonts.
bool printPdf(const QString& html, QIODevice& out);

}  // namespace zt::page
