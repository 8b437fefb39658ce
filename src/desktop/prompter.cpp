// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/prompter.h"

#include <QtWidgets>

namespace zt::desktop {

std::optional<QString> DialogPrompter::chooseFolder(QWidget* parent, const QString& title) {
  const QString folder = QFileDialog::getExistingDirectory(parent, title);
  return folder.isEmpty() ? std::nullopt : std::optional(folder);
}

std::optional<QString> DialogPrompter::chooseFile(QWidget* parent, const QString& title,
                                                  const QString& filter) {
  const QString file = QFileDialog::getOpenFileName(parent, title, {}, filter);
  return file.isEmpty() ? std::nullopt : std::optional(file);
}

std::optional<QString> DialogPrompter::chooseNewFile(QWidget* parent, const QString& title,
                                                     const QString& filter) {
  const QString file = QFileDialog::getSaveFileName(parent, title, {}, filter);
  return file.isEmpty() ? std::nullopt : std::optional(file);
}

std::optional<Prompter::TargetAnswer> DialogPrompter::askTarget(QWidget* parent) {
  QDialog dialog(parent);
  dialog.setWindowTitle(QDialog::tr("Add a target"));
  QFormLayout form(&dialog);
  QLineEdit label;
  QLineEdit amount;
  label.setPlaceholderText(QDialog::tr("tonight's upgrade"));
  amount.setPlaceholderText(QDialog::tr("20GB, 18GiB or 15%"));
  form.addRow(QDialog::tr("What for"), &label);
  form.addRow(QDialog::tr("Free space needed"), &amount);
  QDialogButtonBox buttons(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  buttons.button(QDialogButtonBox::Ok)->setText(QDialog::tr("Add the target"));
  form.addRow(&buttons);
  QObject::connect(&buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
  QObject::connect(&buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
  if (dialog.exec() != QDialog::Accepted) return std::nullopt;
  return TargetAnswer{label.text(), amount.text()};
}

bool DialogPrompter::confirm(QWidget* parent, const QString& title, const QString& text, const QString& yes) {
  QMessageBox box(QMessageBox::NoIcon, title, text, QMessageBox::Cancel, parent);
  const QAbstractButton* agreed = box.addButton(yes, QMessageBox::AcceptRole);
  box.setDefaultButton(QMessageBox::Cancel);
  box.exec();
  return box.clickedButton() == agreed;
}

void DialogPrompter::tell(QWidget* parent, const QString& title, const QString& text) {
  QMessageBox(QMessageBox::NoIcon, title, text, QMessageBox::Ok, parent).exec();
}

}  // namespace zt::desktop
