// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "desktop/prompter.h"
#include "desktop/session/sheet_desk.h"

class QCheckBox;
class QLineEdit;
class QTextBrowser;
class QTextDocument;

namespace zt::desktop {

/// The sheet that is handed over, as it will be printed: whose it is, with or without the annex, and into
/// which file it goes. GUI thread.
class SheetView final : public QWidget {
  Q_OBJECT
public:
  SheetView(Session& session, Prompter& prompter, QWidget* parent = nullptr);
  /// Gathers it anew and shows it.
  void open();

Q_SIGNALS:
  void closed();
  void failed(const zt::Error& error);

private:
  void show();
  void save();
  void chooseLogo();
  Result<void> write(const QString& file) const;

  Session& session_;
  Prompter& prompter_;
  std::optional<SheetFacts> facts_;
  QString html_;
  QLineEdit* shop_ = nullptr;
  QCheckBox* annex_ = nullptr;
  QTextBrowser* page_ = nullptr;
  QTextDocument* shown_ = nullptr;
};

}  // namespace zt::desktop
