// SPDX-License-Identifier: GPL-3.0-or-later
// Asks before the guard is lifted for one protected item. Says why it is protected and what the advice is.
#pragma once

#include "app/dialogs/ask_dialog.h"
#include "core/advice/evidence.h"

namespace kurvo::app {

class GuardDialog : public AskDialog {
    Q_OBJECT
public:
    GuardDialog(const QString& path, const QString& reason, const Advice& advice, QWidget* parent = nullptr);
};

} // namespace kurvo::app
