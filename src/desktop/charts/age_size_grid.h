// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/query/question.h"
#include "desktop/charts/chart.h"
#include "desktop/charts/field_cells.h"
#include "desktop/style/palette.h"

namespace zt::desktop {

/// Every file of a survey by how long nobody changed it and how big it is: seven age bands by seven size
/// bands; a block's area is its bytes. Cells are picked by mouse (drag for a range) or by arrows and Space.
class AgeSizeGrid final : public Chart {
  Q_OBJECT
public:
  static constexpr int bands = 7;
  explicit AgeSizeGrid(QWidget* parent = nullptr);
  void show(const FieldCells& cells);
  /// Shows what has been counted so far; nothing can be picked meanwhile.
  void showLive(const AgeSizeField& field);
  QString tableTwin() const override;
  /// The picked cells; none while a survey is being made.
  std::optional<FieldRange> picked() const;
  QString pickedNote() const;
  static QString sizeName(int band);

Q_SIGNALS:
  void pickChanged();

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

private:
  QRectF gridRect() const;
  QPoint cellAt(const QPointF& pos) const;
  bool isPicked(int age, int size) const;
  void paintCell(QPainter& painter, const QRectF& rect, const FieldCell& cell);

  void findLargest();

  FieldCells cells_{};
  bool live_ = false;
  Bytes largest_ = 0;
  QPoint anchor_{-1, -1};
  QPoint cursor_{-1, -1};
};

}  // namespace zt::desktop
