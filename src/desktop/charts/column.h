// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QList>
#include <QRectF>

#include "core/base/bytes.h"
#include "desktop/charts/drive_picture.h"
#include "desktop/style/palette.h"

class QPainter;

namespace zt::desktop {

/// One block of a drive's column, from the ground up.
struct Block {
  Stratum stratum = Stratum::free;
  Bytes bytes = 0;
  Bytes planned = 0;  ///< of it, about to go
  QString name;
};

/// The blocks of a measured drive: strata by standing, what no file explains, and the free space. They add up
/// to the capacity. While nothing is measured the used bytes are one open block; `accounted` of them are
/// drawn as seen already.
QList<Block> blocksOf(const DrivePicture& picture, Bytes accounted);

/// Paints a column of blocks with its outline and lifts planned parts out; gives each block's rectangle.
QList<QRectF> paintColumn(QPainter& painter, const QRectF& column, const QList<Block>& blocks,
                          Bytes capacity);

}  // namespace zt::desktop
