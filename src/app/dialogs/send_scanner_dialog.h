// SPDX-License-Identifier: GPL-3.0-or-later
// Whether a scanner may be sent to another machine.
#pragma once

#include "app/dialogs/ask_dialog.h"

namespace kurvo::app {

class SendScannerDialog : public AskDialog {
    Q_OBJECT
public:
    SendScannerDialog(const QString& host, const QString& size, QWidget* parent);
};

} // namespace kurvo::app
