// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/prompter.h"

#include <QtWidgets>

namespace zt::desktop {

namespace {

/// A file box that can change nothing: the toolkit's own would delete, rename and make folders on the drive
/// that it shows.
std::optional<QString> pick(QWidget* parent, const QString& title, const QString& filter,
                            QFileDialog::FileMode mode, QFileDialog::AcceptMode accept) {
  QFileDialog box(parent, title);
  box.setObjectName(QStringLiteral("fileBox"));
  box.setOptions(QFileDialog::ReadOnly | QFileDialog::DontUseNativeDialog |
                 (mode == QFileDialog::Directory ? QFileDialog::ShowDirsOnly : QFileDialog::Option()));
  box.setFileMode(mode);
  box.setAcceptMode(accept);
  if (!filter.isEmpty()) box.setNameFilter(filter);
  if (box.exec() != QDialog::Accepted || box.selectedFiles().isEmpty()) return std::nullopt;
  return box.selectedFiles().constFirst();
}

}  // namespace

std::optional<QString> DialogPrompter::chooseFolder(QWidget* parent, const QString& title) {
  return pick(parent, title, {}, QFileDialog::Directory, QFileDialog::AcceptOpen);
}

std::optional<QString> DialogPrompter::chooseFile(QWidget* parent, const QString& title,
                                                  const QString& filter) {
  return pick(parent, title, filter, QFileDialog::ExistingFile, QFileDialog::AcceptOpen);
}

std::optional<QString> DialogPrompter::chooseNewFile(QWidget* parent, const QString& title,
                                                     const QString& filter) {
  return pick(parent, title, filter, QFileDialog::AnyFile, QFileDialog::AcceptSave);
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
  QCheckBox whileItRuns(QDialog::tr("needed only while it runs"));
  form.addRow(QString(), &whileItRuns);
  QPushButton add(QDialog::tr("Add the target"));
  add.setDefault(true);
  form.addRow(QString(), &add);
  QObject::connect(&add, &QPushButton::clicked, &dialog, &QDialog::accept);
  if (dialog.exec() != QDialog::Accepted) return std::nullopt;
  return TargetAnswer{
      label.text(), amount.text() + (whileItRuns.isChecked() ? QStringLiteral(",while-it-runs") : QString())};
}

namespace {

/// A box with a text and buttons, without the toolkit's stock icons.
class Box final : public QDialog {
public:
  Box(QWidget* parent, const QString& title, const QString& text) : QDialog(parent) {
    setWindowTitle(title);
    setObjectName(QStringLiteral("box"));
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(24, 20, 24, 16);
    box->setSpacing(14);
    text_ = new QPlainTextEdit(text, this);
    text_->setReadOnly(true);
    text_->setFrameShape(QFrame::NoFrame);
    text_->setObjectName(QStringLiteral("boxText"));
    text_->setTabChangesFocus(true);
    box->addWidget(text_, 1);
    fit(text);
  }
  QPushButton* addWay(const QString& text, const char* name, int result, QBoxLayout* to) {
    auto* b = new QPushButton(text, this);
    b->setObjectName(QLatin1String(name));
    connect(b, &QPushButton::clicked, this, [this, result] { done(result); });
    to->addWidget(b);
    return b;
  }
  QHBoxLayout* row() {
    auto* row = new QHBoxLayout;
    row->addStretch();
    static_cast<QVBoxLayout*>(layout())->addLayout(row);
    return row;
  }

private:
  /// As large as its text needs, and no larger than the screen has room for.
  void fit(const QString& text) {
    constexpr int width = 560;
    const QRect needed = fontMetrics().boundingRect(QRect(0, 0, width - 60, 10'000), Qt::TextWordWrap, text);
    const QRect room = screen()->availableGeometry();
    text_->setMinimumHeight(std::min({needed.height() + 24, 420, room.height() - 220}));
    resize(std::min(width, room.width() - 40), sizeHint().height());
  }
  QPlainTextEdit* text_;
};

}  // namespace

bool DialogPrompter::confirm(QWidget* parent, const QString& title, const QString& text, const QString& yes) {
  Box box(parent, title, text);
  auto* row = box.row();
  box.addWay(yes, "boxYes", QDialog::Accepted, row);
  box.addWay(QDialog::tr("Leave it"), "boxNo", QDialog::Rejected, row)->setFocus();
  return box.exec() == QDialog::Accepted;
}

std::optional<int> DialogPrompter::choose(QWidget* parent, const QString& title, const QString& text,
                                          const QStringList& ways) {
  Box box(parent, title, text);
  auto* column = static_cast<QVBoxLayout*>(box.layout());
  for (int i = 0; i < ways.size(); ++i) {
    auto* b = box.addWay(ways[i], QByteArray("boxWay" + QByteArray::number(i)).constData(), 100 + i, column);
    if (i == 0) b->setFocus();
  }
  box.addWay(QDialog::tr("None of these"), "boxNo", QDialog::Rejected, box.row());
  const int result = box.exec();
  return result >= 100 ? std::optional(result - 100) : std::nullopt;
}

void DialogPrompter::tell(QWidget* parent, const QString& title, const QString& text) {
  Box box(parent, title, text);
  box.addWay(QDialog::tr("Close"), "boxClose", QDialog::Accepted, box.row())->setFocus();
  box.exec();
}

}  // namespace zt::desktop
