// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <vector>

#include "desktop/session/drive_watch.h"
#include "desktop/stations/station.h"

namespace zt::desktop {

/// What stations are made with.
struct StationTools {
  Session& session;
  DriveWatch& drives;
  Prompter& prompter;
};

/// One station, as everything outside of it needs to know it. What it shows live and what it waits for it
/// says itself (`Station::figure`, `waitsFor`). Texts are translated in the context "Station".
struct StationKind {
  std::string_view id;    ///< what it is gone to by
  const char* title;      ///< in the strip and in the window's title
  const char* menuTitle;  ///< with its letter
  const char* word;       ///< of ours, that F1 explains where nothing nearer is meant
  std::function<Station*(const StationTools&, QWidget*)> make;
};
using StationTable = std::vector<StationKind>;

/// The stations of the program, in the order of the work.
StationTable builtInStations();

/// The stations of one window, in the order of the work.
class Stations {
public:
  Stations(StationTable table, const StationTools& tools, QWidget* parent);
  const StationTable& table() const { return table_; }
  const QList<Station*>& all() const { return all_; }
  int count() const { return static_cast<int>(all_.size()); }
  /// Its place in the order; −1 for one that is not here.
  int indexOf(std::string_view id) const;
  QString title(int index) const { return Station::tr(table_[static_cast<std::size_t>(index)].title); }
  QString menuTitle(int index) const {
    return Station::tr(table_[static_cast<std::size_t>(index)].menuTitle);
  }
  /// The first of a type; there must be one.
  template <class S>
  S& as() const {
    for (Station* station : all_)
      if (auto* meant = qobject_cast<S*>(station)) return *meant;
    qFatal("no such station");
  }

private:
  StationTable table_;
  QList<Station*> all_;
};

}  // namespace zt::desktop
