// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTextDocument>

namespace zt::page {

/// A sheet's HTML as a text document: its drawings and its logo are pictures of the document itself; nothing
/// is loaded from anywhere. GUI thread, or any thread that owns it.
class SheetPage final : public QTextDocument {
  Q_OBJECT
public:
  /// `width`: of the drawings, in pixels of the document.
  SheetPage(const QString& html, int width, QObject* parent = nullptr);

protected:
  QVariant loadResource(int type, const QUrl& name) override;

private:
  QString takePictures(QString html, int width);
};

}  // namespace zt::page
