// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/find_context.h"
#include "desktop/models/rows_model.h"

namespace zt::desktop {

/// The things of a find as a table: of a folder what lies in it, of equal files the one that stays and its
/// copies, of files of one name what tells them apart, of a disk image its outside beside its inside.
struct InsideRows {
  QString title;
  QStringList heads;                   ///< three of them
  QList<Row> rows = {};                ///< their ids are node numbers; empty where a row is no thing
  std::pair<int, int> widths{90, 84};  ///< of the second and third column
  /// The one file that there is to look into; empty where there are several, or none.
  PathBytes file = {};
};
InsideRows insideRows(const Find& find, const FindContext& context);

}  // namespace zt::desktop
