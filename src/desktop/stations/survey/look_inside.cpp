// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/survey/look_inside.h"

#include <QtWidgets>
#include <algorithm>

#include "desktop/stations/inside_view.h"
#include "desktop/stations/station.h"
#include "desktop/style/look.h"

namespace zt::desktop {

namespace {

QString translated(const char* text) {
  return QCoreApplication::translate("LookInside", text);
}

/// A window of its own, with nothing in its view yet.
InsideView* frame(QWidget* parent, const QString& name) {
  auto* dialog = new QDialog(parent);
  dialog->setObjectName(QStringLiteral("lookInside"));
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->setWindowTitle(translated("Look inside"));
  dialog->resize(720, 520);
  auto* box = new QVBoxLayout(dialog);
  box->setContentsMargins(20, 14, 20, 14);
  auto* title = titleLabel(dialog->fontMetrics().elidedText(name, Qt::ElideMiddle, 560), dialog);
  title->setToolTip(name);
  box->addWidget(title);
  auto* view = new InsideView(dialog);
  box->addWidget(view, 1);
  return view;
}

}  // namespace

void showInside(QWidget* parent, const PathBytes& path, const Glimpse& seen) {
  InsideView* view = frame(parent, say(&Words::path, path));
  view->show(seen);
  view->window()->show();
}

void showInside(QWidget* parent, const SurveyTree& tree, NodeId folder) {
  const FolderTotals& totals = tree.totals(folder);
  std::vector<NodeId> list(totals.children);
  for (NodeId i = 0; i < totals.children; ++i) list[i] = totals.firstChild + i;
  const std::size_t most = std::min<std::size_t>(500, list.size());
  std::partial_sort(list.begin(), list.begin() + static_cast<std::ptrdiff_t>(most), list.end(),
                    [&](NodeId a, NodeId b) { return tree.weight(a) > tree.weight(b); });
  QString text;
  for (std::size_t i = 0; i < most; ++i)
    text += say(&Words::bytes, tree.weight(list[i])).rightJustified(10) + QStringLiteral("  ") +
            say(&Words::path, tree.name(list[i])) +
            (tree.isFolder(list[i]) ? QStringLiteral("/\n") : QStringLiteral("\n"));
  InsideView* view = frame(parent, say(&Words::path, tree.path(folder)));
  view->showText(
      text, translated("%1 entries, as they were measured").arg(QLocale().toString(totals.children)), true);
  view->window()->show();
}

}  // namespace zt::desktop
