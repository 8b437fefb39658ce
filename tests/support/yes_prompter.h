// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/prompter.h"

namespace zt::test {

/// Answers yes to everything, and chooses nothing: for programs that drive the window by themselves.
class YesPrompter final : public desktop::Prompter {
public:
  std::optional<QString> chooseFolder(QWidget*, const QString&) override { return std::nullopt; }
  std::optional<QString> chooseFile(QWidget*, const QString&, const QString&) override {
    return std::nullopt;
  }
  std::optional<QString> chooseNewFile(QWidget*, const QString&, const QString&) override {
    return std::nullopt;
  }
  std::optional<TargetAnswer> askTarget(QWidget*) override { return std::nullopt; }
  bool confirm(QWidget*, const QString&, const QString&, const QString&) override { return true; }
  std::optional<int> choose(QWidget*, const QString&, const QString&, const QStringList&) override {
    return std::nullopt;
  }
  void tell(QWidget*, const QString&, const QString&) override {}
};

}  // namespace zt::test
