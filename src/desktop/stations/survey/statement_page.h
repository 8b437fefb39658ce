// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/charts/chart.h"
#include "desktop/session/job_view.h"

namespace zt::desktop {

/// The statement, set like a ledger page: capacity, the lines, their sum beneath a double rule. It adds up.
class StatementPage final : public Chart {
  Q_OBJECT
public:
  explicit StatementPage(QWidget* parent = nullptr);
  void show(SurveyPtr survey);
  QString tableTwin() const override;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  struct Line {
    QString name;
    QString note;
    SignedBytes bytes = 0;
    bool alarm = false;
  };
  QList<Line> lines() const;
  SurveyPtr survey_;
};

}  // namespace zt::desktop
