// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/peek.h"

class QDialog;
class QWidget;

namespace zt::desktop {

/// A window that shows what is in a file: text, picture, or its first bytes. Deletes itself when it is
/// closed.
QDialog* showInside(QWidget* parent, const PathBytes& path, const Peek& peek);

/// The same for a folder: what lies in it, largest first, as the survey saw it.
QDialog* showInside(QWidget* parent, const SurveyTree& tree, NodeId folder);

}  // namespace zt::desktop
