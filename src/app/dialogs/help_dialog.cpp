// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/help_dialog.h"

#include <QDialogButtonBox>
#include <QFile>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace kurvo::app {

HelpDialog::HelpDialog(const QString& title, const QString& page, QWidget* parent) : QDialog(parent)
{
    setObjectName("helpDialog");
    setWindowTitle(title);
    resize(760, 560);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 14, 16, 12);
    auto* text = new QTextBrowser;
    text->setObjectName("helpText");
    text->setOpenLinks(false);
    QFile file(QStringLiteral(":/docs/%1.md").arg(page));
    if (file.open(QIODevice::ReadOnly))
        text->setMarkdown(QString::fromUtf8(file.readAll()));
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    layout->addWidget(text);
    layout->addWidget(buttons);
}

} // namespace kurvo::app
