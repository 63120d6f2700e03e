// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/support_dialog.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>

namespace kurvo::app {

SupportDialog::SupportDialog(QWidget* parent)
    : QDialog(parent), text_(new QPlainTextEdit), save_(new QPushButton(tr("Save…")))
{
    setObjectName("supportDialog");
    setWindowTitle(tr("Report for support"));
    resize(QSize(760, 520).boundedTo(parent ? parent->window()->size() - QSize(40, 60) : QSize(760, 520)));
    auto* heading = new QLabel(tr(
        "This is all that is in it. Take out what nobody shall read. Nothing is sent: save it and send it yourself."));
    heading->setWordWrap(true);
    text_->setObjectName("supportText");
    text_->setAccessibleName(tr("The report"));
    text_->setTabChangesFocus(true);
    text_->setPlainText(tr("Collecting …"));
    text_->setEnabled(false);
    save_->setObjectName("supportSave");
    save_->setEnabled(false);
    save_->setAutoDefault(false);
    auto* close = new QPushButton(tr("Close"));
    close->setDefault(true);
    auto* buttons = new QHBoxLayout;
    buttons->addStretch();
    buttons->addWidget(save_);
    buttons->addWidget(close);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(20, 16, 20, 16);
    layout->setSpacing(10);
    layout->addWidget(heading);
    layout->addWidget(text_, 1);
    layout->addLayout(buttons);
    connect(save_, &QPushButton::clicked, this, &SupportDialog::saveRequested);
    connect(close, &QPushButton::clicked, this, &QDialog::reject);
}

void SupportDialog::setReport(const QString& report)
{
    text_->setPlainText(report);
    text_->setEnabled(true);
    save_->setEnabled(true);
    text_->setFocus();
}

} // namespace kurvo::app
