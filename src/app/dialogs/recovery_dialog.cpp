// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/recovery_dialog.h"

#include <QScrollArea>

#include <algorithm>

#include "app/style/selectable_label.h"
#include "app/style/words.h"

namespace kurvo::app {

RecoveryDialog::RecoveryDialog(const QStringList& sentences, bool waiting, QWidget* parent)
    : AskDialog("recoveryDialog", tr("Interrupted run"), parent)
{
    addText(tr("Kurvo was interrupted while carrying out a plan"), "heading");
    addText(waiting ? tr("Nothing is lost. Some of it still waits:") : tr("Nothing is lost. What became of each step:"),
            "second");
    auto* lines = new SelectableLabel;
    lines->setObjectName("recovered");
    QStringList shown;
    for (const auto& sentence : sentences)
        shown << breakable(sentence);
    lines->setText(shown.join(QStringLiteral("\n\n")));
    lines->setContentsMargins(2, 2, 2, 2);
    auto* area = new QScrollArea;
    area->setWidget(lines);
    area->setWidgetResizable(true);
    area->setFrameShape(QFrame::NoFrame);
    area->setMinimumWidth(520);
    lines->setFixedWidth(500);
    area->setFixedHeight(std::clamp(lines->heightForWidth(500) + 8, 60, 300));
    add(area);
    addText(waiting ? tr("Plug the drive in and try again. The logbook in Clear has every step.")
                    : tr("The logbook in Clear has every step."),
            "second");
    if (waiting) {
        auto* rights = new QPushButton(tr("With administrator rights…"));
        rights->setObjectName("recoverWithRights");
        rights->setAutoDefault(false);
        connect(rights, &QPushButton::clicked, this, [this] {
            accept();
            emit againRequested(true);
        });
        add(rights);
    }
    auto* again = new QPushButton(waiting ? tr("Try again") : tr("Show the logbook"));
    again->setObjectName("recoverGo");
    connect(again, &QPushButton::clicked, this, [this, waiting] {
        if (waiting)
            emit againRequested(false);
    });
    addWays(tr("Close"), "recoverClose", again, false);
}

} // namespace kurvo::app
