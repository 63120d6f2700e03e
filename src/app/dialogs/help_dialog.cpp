// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/help_dialog.h"

#include <QDialogButtonBox>
#include <QFile>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace kurvo::app {

HelpDialog::HelpDialog(const QString& title, QWidget* parent) : QDialog(parent), text_(new QTextBrowser)
{
    setObjectName("helpDialog");
    setWindowTitle(title);
    const auto room = parent ? parent->window()->size() - QSize(40, 60) : QSize(760, 560);
    resize(QSize(760, 560).boundedTo(room));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 14, 16, 12);
    text_->setObjectName("helpText");
    text_->setAccessibleName(title);
    text_->setOpenLinks(false);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    layout->addWidget(text_);
    layout->addWidget(buttons);
}

void HelpDialog::showPage(const QString& page)
{
    QFile file(QStringLiteral(":/docs/%1.md").arg(page));
    if (file.open(QIODevice::ReadOnly))
        text_->setMarkdown(QString::fromUtf8(file.readAll()));
}

void HelpDialog::setHtml(const QString& html)
{
    text_->setHtml(html);
}

} // namespace kurvo::app
