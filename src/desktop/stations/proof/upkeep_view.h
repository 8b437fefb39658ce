// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "desktop/session/upkeep_desk.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;
class QTreeView;

namespace zt::desktop {

class RowsModel;

/// Rules that run by themselves, as sentences, with their last and next run; a new one is tried before it is
/// kept. GUI thread.
class UpkeepView final : public QWidget {
  Q_OBJECT
public:
  explicit UpkeepView(Session& session, QWidget* parent = nullptr);
  void open();

Q_SIGNALS:
  void closed();
  void failed(const zt::Error& error);

private:
  void setupForm();
  void fill();
  UpkeepRule asTyped() const;
  void tryOut();
  void keep();
  void drop();
  void change();

  Session& session_;
  std::optional<UpkeepRule> tried_;
  QTreeView* rules_ = nullptr;
  RowsModel* rows_ = nullptr;
  QComboBox* action_ = nullptr;
  QLineEdit* question_ = nullptr;
  QSpinBox* older_ = nullptr;
  QSpinBox* cap_ = nullptr;
  QComboBox* when_ = nullptr;
  QLabel* said_ = nullptr;
  QPushButton* keep_ = nullptr;
  QPushButton* drop_ = nullptr;
  QPushButton* change_ = nullptr;
  std::string changing_;  ///< the rule that is said anew; empty for a new one
};

}  // namespace zt::desktop
