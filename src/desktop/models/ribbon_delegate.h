// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/models/ledger_delegate.h"

namespace zt::desktop {

/// Paints the ribbon of a folder row: its length is the share of the parent, its inner parts the chosen lens.
class RibbonDelegate final : public LedgerDelegate {
  Q_OBJECT
public:
  using LedgerDelegate::LedgerDelegate;
  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
};

}  // namespace zt::desktop
