// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/send_scanner_dialog.h"

namespace kurvo::app {

SendScannerDialog::SendScannerDialog(const QString& host, const QString& size, QWidget* parent)
    : AskDialog("sendScanner", tr("Another machine"), parent)
{
    addText(tr("Send a scanner to %1?").arg(host), "heading");
    addText(
        tr("%1 has no kurvoctl that fits. A scanner of %2 can be sent through the same connection. It is put into a "
           "private folder there, removes itself before it reads anything, answers, and ends. Nothing is installed.")
            .arg(host, size));
    auto* send = new QPushButton(tr("Send it and scan"));
    send->setObjectName("send");
    addWays(tr("Cancel"), "cancel", send, false);
}

} // namespace kurvo::app
