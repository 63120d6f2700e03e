// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/guard_dialog.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace kurvo::app {

GuardDialog::GuardDialog(const QString& path, const QString& reason, const Advice& advice, QWidget* parent)
    : QDialog(parent)
{
    setWindowTitle(tr("Protected"));
    setObjectName("guardDialog");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(20, 18, 20, 16);
    layout->setSpacing(10);
    const auto add = [layout](const QString& text, const char* role) {
        auto* label = new QLabel(text);
        label->setWordWrap(true);
        label->setProperty("role", role);
        label->setMinimumWidth(460);
        layout->addWidget(label);
        return label;
    };
    add(tr("This item is protected"), "heading");
    add(QString(path).replace(QLatin1Char('/'), QStringLiteral("/\u200B")), "second");
    add(reason, "warning")->setObjectName("guardReason");
    if (!advice.rule.empty())
        add(QString::fromStdString(advice.what + " " + advice.action), "");
    auto* known = new QCheckBox(tr("I know what this is and what happens without it"));
    known->setObjectName("guardKnown");
    layout->addWidget(known);
    auto* buttons = new QHBoxLayout;
    auto* leave = new QPushButton(tr("Leave it alone"));
    leave->setObjectName("leave");
    auto* lift = new QPushButton(tr("Plan it all the same"));
    lift->setObjectName("lift");
    lift->setProperty("role", "danger");
    lift->setAutoDefault(false);
    lift->setEnabled(false);
    leave->setDefault(true);
    buttons->addStretch();
    buttons->addWidget(leave);
    buttons->addWidget(lift);
    layout->addSpacing(6);
    layout->addLayout(buttons);
    connect(known, &QCheckBox::toggled, lift, &QPushButton::setEnabled);
    connect(leave, &QPushButton::clicked, this, &QDialog::reject);
    connect(lift, &QPushButton::clicked, this, &QDialog::accept);
    leave->setFocus();
}

} // namespace kurvo::app
