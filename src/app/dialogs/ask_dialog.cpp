// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/ask_dialog.h"

#include "app/style/hold_button.h"

namespace kurvo::app {

AskDialog::AskDialog(const QString& name, const QString& title, QWidget* parent)
    : QDialog(parent), layout_(new QVBoxLayout(this))
{
    setObjectName(name);
    setWindowTitle(title);
    layout_->setContentsMargins(20, 18, 20, 16);
    layout_->setSpacing(10);
}

QLabel* AskDialog::addText(const QString& text, const char* role)
{
    auto* label = new QLabel(text);
    label->setTextFormat(Qt::PlainText);
    label->setWordWrap(true);
    label->setProperty("role", role);
    label->setMinimumWidth(460);
    layout_->addWidget(label);
    return label;
}

QPushButton* AskDialog::addWays(const QString& leave, const QString& leaveName, QPushButton* go, bool danger)
{
    auto* buttons = new QHBoxLayout;
    auto* stay = new QPushButton(leave);
    stay->setObjectName(leaveName);
    stay->setDefault(true);
    go->setAutoDefault(false);
    if (danger)
        go->setProperty("role", "danger");
    buttons->addStretch();
    buttons->addWidget(stay);
    buttons->addWidget(go);
    layout_->addSpacing(6);
    layout_->addLayout(buttons);
    connect(stay, &QPushButton::clicked, this, &QDialog::reject);
    if (auto* held = qobject_cast<HoldButton*>(go))
        connect(held, &HoldButton::held, this, &QDialog::accept);
    else
        connect(go, &QPushButton::clicked, this, &QDialog::accept);
    stay->setFocus();
    return stay;
}

} // namespace kurvo::app
