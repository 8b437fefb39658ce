// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/session/glance.h"

class QWidget;

namespace zt::desktop {

/// A window that shows what is in a file. Deletes itself when it is closed.
void showInside(QWidget* parent, const PathBytes& path, const Glimpse& seen);

/// The same for a folder: what lies in it, largest first, as the survey saw it.
void showInside(QWidget* parent, const SurveyTree& tree, NodeId folder);

}  // namespace zt::desktop
