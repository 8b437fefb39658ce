// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <QStringList>

#include "core/finds/find.h"

namespace zt::desktop {

/// What is typed after "/": words that a path must hold, and conditions `size>1GB`, `age>1y` (d, w, m, y),
/// `owner:NAME`, `kind:trash`, `standing:spent`. All must hold. A word that cannot be understood is a plain
/// word.
class FindFilter {
public:
  explicit FindFilter(const QString& text = {});
  bool empty() const {
    return words_.isEmpty() && minBytes_ == 0 && minDays_ == 0 && owner_.isEmpty() && kind_.isEmpty() &&
           standing_.isEmpty();
  }
  bool takes(const Find& find, TimeNs now, const OwnerNames& owners) const;

private:
  QStringList words_;
  Bytes minBytes_ = 0;
  int minDays_ = 0;
  QString owner_;
  QString kind_;
  QString standing_;
};

}  // namespace zt::desktop
