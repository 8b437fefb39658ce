// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "core/finds/find_context.h"

class QLabel;
class QTreeView;

namespace zt::desktop {

class RowsModel;
class TimeLine;

/// The right half of Finds: everything that is known of the current find, and what is inside it.
class EvidencePanel final : public QWidget {
  Q_OBJECT
public:
  explicit EvidencePanel(QWidget* parent = nullptr);
  /// nullptr clears it.
  void show(const Find* find, const ContextPtr& context);

private:
  void fillFacts(const Find& find, const FindContext& context);
  void fillInside(const Find& find, const FindContext& context);

  QLabel* title_;
  QLabel* note_;
  QLabel* gain_;
  QLabel* gainNote_;
  TimeLine* timeLine_;
  QLabel* facts_;
  QLabel* insideTitle_;
  QTreeView* inside_;
  RowsModel* insideRows_;
};

}  // namespace zt::desktop
