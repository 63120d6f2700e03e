// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/guard_dialog.h"

#include <QCheckBox>

#include "app/style/words.h"

namespace kurvo::app {

GuardDialog::GuardDialog(const QString& path, const QString& reason, const Advice& advice, QWidget* parent)
    : AskDialog("guardDialog", tr("Protected"), parent)
{
    addText(tr("This item is protected"), "heading");
    addText(breakable(path), "second");
    addText(reason, "warning")->setObjectName("guardReason");
    if (!advice.rule.empty())
        addText(QString::fromStdString(advice.what + " " + advice.action));
    auto* known = new QCheckBox(tr("I know what this is and what happens without it"));
    known->setObjectName("guardKnown");
    add(known);
    auto* lift = new QPushButton(tr("Plan it anyway"));
    lift->setObjectName("lift");
    lift->setEnabled(false);
    connect(known, &QCheckBox::toggled, lift, &QPushButton::setEnabled);
    addWays(tr("Leave it alone"), "leave", lift);
}

} // namespace kurvo::app
