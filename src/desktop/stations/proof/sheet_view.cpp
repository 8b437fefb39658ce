// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/stations/proof/sheet_view.h"

#include <QtWidgets>

#include "desktop/style/look.h"
#include "page/sheet_page.h"
#include "page/tagged_pdf.h"

namespace zt::desktop {

SheetView::SheetView(Session& session, Prompter& prompter, QWidget* parent)
    : QWidget(parent), session_(session), prompter_(prompter) {
  setObjectName(QStringLiteral("sheetView"));
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  head->addWidget(titleLabel(tr("Sheet"), this));
  head->addSpacing(10);
  head->addWidget(noteLabel(tr("what the customer takes along"), this), 1);
  auto* back = linkButton(tr("Back to the proof"), "sheetBack", this);
  head->addWidget(back);
  box->addLayout(head);
  page_ = new QTextBrowser(this);
  page_->setObjectName(QStringLiteral("sheetPage"));
  page_->setAccessibleName(tr("The sheet as it will be printed"));
  page_->setOpenLinks(false);
  // Paper is white whatever the face of the window.
  QPalette paper = page_->palette();
  paper.setColor(QPalette::Base, Qt::white);
  paper.setColor(QPalette::Text, QColor(0x1b, 0x1f, 0x23));
  page_->setPalette(paper);
  box->addWidget(page_, 1);
  auto* foot = new QHBoxLayout;
  auto* whose = new QLabel(tr("Shop:"), this);
  shop_ = new QLineEdit(this);
  shop_->setAccessibleName(tr("Shop"));
  shop_->setObjectName(QStringLiteral("sheetShop"));
  shop_->setMaxLength(80);
  shop_->setMaximumWidth(260);
  whose->setBuddy(shop_);
  auto* logo = linkButton(tr("Logo…"), "sheetLogo", this);
  annex_ = new QCheckBox(tr("with the annex for the shop"), this);
  annex_->setObjectName(QStringLiteral("sheetAnnex"));
  auto* save = button(tr("Save as…"), "sheetSave", this, true);
  foot->addWidget(whose);
  foot->addWidget(shop_);
  foot->addWidget(logo);
  foot->addSpacing(16);
  foot->addWidget(annex_);
  foot->addStretch();
  foot->addWidget(save);
  box->addLayout(foot);
  connect(back, &QPushButton::clicked, this, &SheetView::closed);
  connect(annex_, &QCheckBox::toggled, this, &SheetView::show);
  connect(save, &QPushButton::clicked, this, &SheetView::save);
  connect(logo, &QPushButton::clicked, this, &SheetView::chooseLogo);
  connect(shop_, &QLineEdit::editingFinished, this, [this] {
    if (!facts_ || facts_->shop.name == shop_->text().toStdString()) return;
    if (auto said = SheetDesk(session_).sayShop(shop_->text().toStdString(), std::nullopt); !said)
      Q_EMIT failed(said.error());
    facts_->shop.name = shop_->text().toStdString();
    show();
  });
}

void SheetView::open() {
  SheetDesk(session_).gather([this, alive = QPointer(this)](const SheetFacts& facts) {
    if (!alive) return;
    facts_ = facts;
    shop_->setText(QString::fromStdString(facts.shop.name));
    show();
    page_->setFocus();
  });
}

void SheetView::show() {
  if (!facts_) return;
  html_ = QString::fromStdString(toHtml(Look::ofApplication().words().sheet(*facts_, annex_->isChecked())));
  auto* fresh = new page::SheetPage(html_, std::clamp(page_->width() - 120, 300, 760), page_);
  fresh->setDocumentMargin(24);
  page_->setDocument(fresh);
  delete std::exchange(shown_, fresh);
}

void SheetView::chooseLogo() {
  const auto file =
      prompter_.chooseFile(this, tr("A picture for the sheet"), tr("Pictures (*.png *.jpg *.jpeg)"));
  if (!file || !facts_) return;
  const PathBytes path = QFile::encodeName(*file).toStdString();
  auto logo = logoFrom(path);
  if (!logo) {
    Q_EMIT failed(logo.error());
    return;
  }
  if (auto said = SheetDesk(session_).sayShop(shop_->text().toStdString(), path); !said)
    Q_EMIT failed(said.error());
  facts_->shop.logo = std::move(*logo);
  show();
}

Result<void> SheetView::write(const QString& file) const {
  const PathBytes path = QFile::encodeName(file).toStdString();
  const SheetDocument document = Look::ofApplication().words().sheet(*facts_, annex_->isChecked());
  // Written beside and moved into place when it is whole.
  QSaveFile out(file);
  if (!out.open(QIODevice::WriteOnly)) return failErrno("sheet", path, errno == 0 ? EACCES : errno);
  bool whole = true;
  const auto put = [&](const std::string& text) {
    const auto size = static_cast<qint64>(text.size());
    whole = out.write(text.data(), size) == size;
  };
  if (file.endsWith(QLatin1String(".pdf")))
    whole = page::printPdf(html_, out);
  else if (file.endsWith(QLatin1String(".html")))
    put(toHtml(document));
  else if (file.endsWith(QLatin1String(".md")))
    put(toMarkdown(document));
  else if (file.endsWith(QLatin1String(".csv")))
    put(toCsv(document));
  else if (file.endsWith(QLatin1String(".json")))
    put(toJson(*facts_).dump(2, ' ', false, Json::error_handler_t::replace) + "\n");
  else
    return fail(Errc::badInput, "sheet", path, "*.pdf, *.html, *.md, *.csv, *.json");
  if (!whole || !out.commit()) return failErrno("sheet", path, errno == 0 ? EIO : errno);
  return {};
}

void SheetView::save() {
  if (!facts_) return;
  const auto file = prompter_.chooseNewFile(
      this, tr("Save the sheet"),
      tr("PDF (*.pdf);;Web page (*.html);;Markdown (*.md);;Tables (*.csv);;Data (*.json)"));
  if (!file) return;
  if (const auto written = write(*file); !written) Q_EMIT failed(written.error());
}

}  // namespace zt::desktop
