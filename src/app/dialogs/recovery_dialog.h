// SPDX-License-Identifier: GPL-3.0-or-later
// Says, after a start, what was under way when Kurvo was ended, and what became of each step.
#pragma once

#include "app/dialogs/ask_dialog.h"

namespace kurvo::app {

class RecoveryDialog : public AskDialog {
    Q_OBJECT
public:
    /// `waiting`: something could not be ended yet, because a drive or a right is missing.
    RecoveryDialog(const QStringList& sentences, bool waiting, QWidget* parent = nullptr);

signals:
    void againRequested(bool withRights);
};

} // namespace kurvo::app
