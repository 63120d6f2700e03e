// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/help_dialog.h"

#include <QDialogButtonBox>
#include <QFile>
#include <QImage>
#include <QPushButton>
#include <QTextBrowser>
#include <QVBoxLayout>

#include <algorithm>

namespace kurvo::app {
namespace {

/// Pages of docs, with their pictures as wide as there is room.
class Pages : public QTextBrowser {
protected:
    QVariant loadResource(int type, const QUrl& url) override
    {
        if (type != QTextDocument::ImageResource)
            return QTextBrowser::loadResource(type, url);
        const QImage picture(QStringLiteral(":/docs/") + url.path());
        constexpr int margins = 48;
        const int room = std::max(200, width() - margins);
        return picture.width() > room ? picture.scaledToWidth(room, Qt::SmoothTransformation) : picture;
    }
};

} // namespace

HelpDialog::HelpDialog(const QString& title, QWidget* parent) : QDialog(parent), text_(new Pages)
{
    setObjectName("helpDialog");
    setWindowTitle(title);
    const auto room = parent ? parent->window()->size() - QSize(40, 60) : QSize(760, 560);
    resize(QSize(760, 560).boundedTo(room));
    text_->resize(width() - 32, height()); // pictures are fitted into it before it is laid out
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 14, 16, 12);
    text_->setObjectName("helpText");
    text_->setAccessibleName(title);
    text_->setOpenLinks(false);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    buttons->button(QDialogButtonBox::Close)->setIcon({});
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
