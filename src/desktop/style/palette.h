// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QColor>
#include <QFont>
#include <QPalette>
#include <QString>

#include "core/catalogue/standing.h"

class QApplication;
class QPainter;
class QRectF;

namespace zt::desktop {

/// What a block of a drive picture shows: a standing, free space, what no file explains, what is not
/// accounted for yet, or what is planned to go.
enum class Stratum {
  bedrock,
  kept,
  unjudged,
  ownersCall,
  rebuilds,
  spent,
  points,
  notInFiles,
  free,
  unknown,
  planned
};

Stratum stratumOf(Standing standing);

/// The colours of one face. Mineral tones for strata; red only for targets, shortfalls and what cannot be
/// undone.
struct Face {
  bool dark = false;
  QColor paper, panel, rule, ink, secondInk, red, free, picked, line;
  static const Face& light();
  static const Face& slate();
  QColor tone(Stratum stratum) const;
};

/// The face in force, as `Look` keeps it. GUI thread.
const Face& face();
/// Gives an application the colours and fonts of a face.
void applyFace(QApplication& app, const Face& face);

/// Fills a rectangle with a stratum's tone and texture, so that it reads without colour and in print.
void fillStratum(QPainter& painter, const QRectF& rect, Stratum stratum);

/// Type: Lato in five sizes, tabular figures.
enum class Type { small, body, strong, title, figure };
QFont typeface(Type type);

}  // namespace zt::desktop
