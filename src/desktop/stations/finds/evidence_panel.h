// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "core/finds/find_context.h"
#include "desktop/session/glance.h"

class QLabel;
class QPushButton;
class QTimer;
class QTreeView;

namespace zt::desktop {

class InsideView;
class PointsView;
class RowsModel;
class TextArea;
class TimeLine;

/// The right half of Finds: everything that is known of the current find, and what is inside it.
class EvidencePanel final : public QWidget {
  Q_OBJECT
public:
  /// Looks into a file, and tells what was seen when it is.
  using LookInto = std::function<void(const PathBytes& path, Glance::Then then)>;
  EvidencePanel(LookInto look, QWidget* parent);
  /// nullptr clears it.
  void show(const Find* find, const ContextPtr& context, const EvidenceDesk* desk);
  /// The thing that is chosen in the list of what is inside; noNode for none.
  NodeId currentThing() const;

Q_SIGNALS:
  void exempted(NodeId thing);  ///< somebody keeps one of the things
  /// Somebody plans these snapshots of the series that is shown.
  void pointsPlanned(const std::vector<PathBytes>& points);
  void withPointsPlanned();  ///< somebody plans the find with the snapshots that hold it

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

private:
  void tellPinned(const Find& find, const FindContext& context);
  void fillFacts(const Find& find, const FindContext& context, const EvidenceDesk* desk);
  void fillInside(const Find& find, const FindContext& context);
  /// Looks into a file soon: whoever runs through the finds does not read them all.
  void lookSoon(const PathBytes& file);
  void lookNow();

  LookInto look_;
  QTimer* soon_;
  ContextPtr context_;
  std::string shown_;       ///< the find that is shown
  std::size_t things_ = 0;  ///< how many things it has
  PathBytes file_;          ///< what is looked into; empty for none
  QLabel* title_;
  QLabel* note_;
  QLabel* gain_;
  QLabel* gainNote_;
  TimeLine* timeLine_;
  PointsView* points_;
  QLabel* facts_;
  TextArea* factsArea_;
  QPushButton* withPoints_;
  QLabel* insideTitle_;
  QTreeView* inside_;
  RowsModel* insideRows_;
  InsideView* seen_;
};

}  // namespace zt::desktop
