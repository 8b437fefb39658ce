// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/survey/look_inside.h"

#include <QtWidgets>
#include <algorithm>

#include "desktop/stations/station.h"
#include "desktop/style/look.h"

namespace zt::desktop {

namespace {

QDialog* frame(QWidget* parent, const QString& name, const QString& note) {
  auto* dialog = new QDialog(parent);
  dialog->setObjectName(QStringLiteral("lookInside"));
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->setWindowTitle(QCoreApplication::translate("LookInside", "Look inside"));
  dialog->resize(720, 520);
  auto* box = new QVBoxLayout(dialog);
  box->setContentsMargins(20, 14, 20, 14);
  auto* title = titleLabel(dialog->fontMetrics().elidedText(name, Qt::ElideMiddle, 560), dialog);
  title->setToolTip(name);
  box->addWidget(title);
  box->addWidget(noteLabel(note, dialog, "lookNote"));
  return dialog;
}

void addText(QDialog* dialog, const QString& text, bool fixed) {
  auto* view = new QPlainTextEdit(dialog);
  view->setObjectName(QStringLiteral("lookText"));
  view->setReadOnly(true);
  view->setPlainText(text);
  if (fixed) {
    view->setFont(QFontDatabase::systemFont(QFontDatabase::FixedFont));
    view->setLineWrapMode(QPlainTextEdit::NoWrap);
  }
  dialog->layout()->addWidget(view);
}

/// False where it is no picture, or one too large to unfold.
bool addPicture(QDialog* dialog, const std::string& bytes) {
  QByteArray data = QByteArray::fromRawData(bytes.data(), static_cast<qsizetype>(bytes.size()));
  QBuffer buffer(&data);
  QImageReader reader(&buffer);
  constexpr int mostMegabytes = 256;
  QImageReader::setAllocationLimit(mostMegabytes);
  const QSize size = reader.size();
  if (size.isValid()) reader.setScaledSize(size.boundedTo(size.scaled(680, 400, Qt::KeepAspectRatio)));
  const QImage image = reader.read();
  if (image.isNull()) return false;
  auto* label = new QLabel(dialog);
  label->setObjectName(QStringLiteral("lookPicture"));
  label->setAlignment(Qt::AlignCenter);
  label->setPixmap(QPixmap::fromImage(image));
  label->setAccessibleName(
      QCoreApplication::translate("LookInside", "Picture, %1 by %2").arg(size.width()).arg(size.height()));
  static_cast<QVBoxLayout*>(dialog->layout())->addWidget(label, 1);
  return true;
}

}  // namespace

QDialog* showInside(QWidget* parent, const PathBytes& path, const Peek& peek) {
  const auto t = [](const char* text) { return QCoreApplication::translate("LookInside", text); };
  const QString note =
      peek.whole ? t("all of it, %1; its access time was not changed").arg(say(&Words::bytes, peek.length))
                 : t("its first %1 of %2; its access time was not changed")
                       .arg(say(&Words::bytes, peek.head.size()), say(&Words::bytes, peek.length));
  QDialog* dialog = frame(parent, say(&Words::path, path), note);
  const bool picture = peek.form == Peek::Form::picture && addPicture(dialog, peek.head);
  if (!picture && peek.form == Peek::Form::text)
    addText(dialog, QString::fromUtf8(peek.head.data(), static_cast<qsizetype>(peek.head.size())), false);
  else if (!picture)
    addText(dialog, QString::fromStdString(hexTable(std::string_view(peek.head).substr(0, 4096))), true);
  dialog->show();
  return dialog;
}

QDialog* showInside(QWidget* parent, const SurveyTree& tree, NodeId folder) {
  const FolderTotals& totals = tree.totals(folder);
  std::vector<NodeId> list(totals.children);
  for (NodeId i = 0; i < totals.children; ++i) list[i] = totals.firstChild + i;
  const std::size_t most = std::min<std::size_t>(500, list.size());
  std::partial_sort(list.begin(), list.begin() + static_cast<std::ptrdiff_t>(most), list.end(),
                    [&](NodeId a, NodeId b) { return tree.weight(a) > tree.weight(b); });
  QString text;
  for (std::size_t i = 0; i < most; ++i)
    text += say(&Words::bytes, tree.weight(list[i])).rightJustified(10) + QStringLiteral("  ") +
            say(&Words::path, tree.name(list[i])) +
            (tree.isFolder(list[i]) ? QStringLiteral("/\n") : QStringLiteral("\n"));
  QDialog* dialog = frame(parent, say(&Words::path, tree.path(folder)),
                          QCoreApplication::translate("LookInside", "%1 entries, as they were measured")
                              .arg(QLocale().toString(totals.children)));
  addText(dialog, text, true);
  dialog->show();
  return dialog;
}

}  // namespace zt::desktop
