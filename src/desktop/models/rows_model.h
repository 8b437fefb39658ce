// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractTableModel>
#include <QColor>
#include <QList>

namespace zt::desktop {

/// One cell of a ledger table.
struct Cell {
  QString text;
  QString tip;
  bool strong = false;
  bool alarm = false;  ///< in red: shortfalls and what cannot be undone
  bool quiet = false;
  bool right = false;
};

/// One row: cells, and what it stands for.
struct Row {
  QString id;
  int stratum = -1;  ///< texture box before the first cell; −1 for none
  bool checkable = false;
  bool checked = false;
  QList<Cell> cells;
};

/// A table that is set as a whole; for ledgers of at most some thousand rows. GUI thread.
class RowsModel final : public QAbstractTableModel {
  Q_OBJECT
public:
  enum Role { idRole = Qt::UserRole, stratumRole };
  RowsModel(QStringList heads, QList<int> rightAligned, QObject* parent);
  void setRows(QList<Row> rows);
  /// As many as before.
  void setHeads(const QStringList& heads);
  const QList<Row>& rows() const { return rows_; }
  int rowOf(const QString& id) const;

  int rowCount(const QModelIndex& parent = {}) const override {
    return parent.isValid() ? 0 : static_cast<int>(rows_.size());
  }
  int columnCount(const QModelIndex& parent = {}) const override {
    return parent.isValid() ? 0 : static_cast<int>(heads_.size());
  }
  QVariant data(const QModelIndex& index, int role) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;
  Qt::ItemFlags flags(const QModelIndex& index) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

Q_SIGNALS:
  void toggled(const QString& id, bool on);

private:
  QStringList heads_;
  QList<int> right_;
  QList<Row> rows_;
};

}  // namespace zt::desktop
