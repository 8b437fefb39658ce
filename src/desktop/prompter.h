// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <QStringList>
#include <optional>

class QWidget;

namespace zt::desktop {

/// The port to dialogs, so that tests answer for the user; an unanswered question fails there. GUI thread.
class Prompter {
public:
  virtual ~Prompter() = default;
  virtual std::optional<QString> chooseFolder(QWidget* parent, const QString& title) = 0;
  virtual std::optional<QString> chooseFile(QWidget* parent, const QString& title, const QString& filter) = 0;
  /// A file to be written; what is there already is only overwritten if the user says so.
  virtual std::optional<QString> chooseNewFile(QWidget* parent, const QString& title,
                                               const QString& filter) = 0;
  /// A label and an amount ("20GB", "15%").
  struct TargetAnswer {
    QString label;
    QString amount;
  };
  virtual std::optional<TargetAnswer> askTarget(QWidget* parent) = 0;
  virtual bool confirm(QWidget* parent, const QString& title, const QString& text, const QString& yes) = 0;
  /// One of several ways on, each a button; nullopt if none is taken.
  virtual std::optional<int> choose(QWidget* parent, const QString& title, const QString& text,
                                    const QStringList& ways) = 0;
  virtual void tell(QWidget* parent, const QString& title, const QString& text) = 0;
};

/// Real dialogs, none larger than the screen has room for.
class DialogPrompter final : public Prompter {
public:
  std::optional<QString> chooseFolder(QWidget* parent, const QString& title) override;
  std::optional<QString> chooseFile(QWidget* parent, const QString& title, const QString& filter) override;
  std::optional<QString> chooseNewFile(QWidget* parent, const QString& title, const QString& filter) override;
  std::optional<TargetAnswer> askTarget(QWidget* parent) override;
  bool confirm(QWidget* parent, const QString& title, const QString& text, const QString& yes) override;
  std::optional<int> choose(QWidget* parent, const QString& title, const QString& text,
                            const QStringList& ways) override;
  void tell(QWidget* parent, const QString& title, const QString& text) override;
};

}  // namespace zt::desktop
