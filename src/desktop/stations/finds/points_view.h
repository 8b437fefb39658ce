// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>

#include "core/finds/find_context.h"

class QLabel;
class QSpinBox;
class QVBoxLayout;
class QPushButton;

namespace zt::desktop {

class PointsLine;

/// A series of snapshots in time, rules as sentences with what each would free, and the sum of what is
/// picked. P plans what is picked.
class PointsView final : public QWidget {
  Q_OBJECT
public:
  explicit PointsView(QWidget* parent);
  /// The series of a find; nothing for any other find.
  void show(const Find& find, const ContextPtr& context);

Q_SIGNALS:
  void planned(const std::vector<PathBytes>& points);

protected:
  void keyPressEvent(QKeyEvent* event) override;

private:
  struct Rule {
    std::string words;  ///< as on the command line, without an amount
    std::string unit;   ///< after the amount
    QString sentence;   ///< %1 stands for the amount
  };
  void addRules();
  void addRule(const Rule& rule, QSpinBox* amount);
  static QSpinBox* amount(const char* rule, int least, int most, int usual);
  std::vector<bool> picksOf(const Rule& rule, const QSpinBox* amount) const;
  void tellSum();
  void plan();
  std::vector<bool> chosen() const;  ///< by places in the model

  ContextPtr context_;
  const PointSeries* series_ = nullptr;
  PointsLine* line_;
  QLabel* sum_;
  QPushButton* plan_;
  QVBoxLayout* rules_;
};

}  // namespace zt::desktop
