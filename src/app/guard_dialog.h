// SPDX-License-Identifier: GPL-3.0-or-later
// Asks before the guard is lifted for one protected item. Says why it is protected and what the advice is; leaving it
// alone is what Enter and Escape do.
#pragma once

#include <QDialog>

#include "app/session.h"

namespace kurvo::app {

class GuardDialog : public QDialog {
    Q_OBJECT
public:
    GuardDialog(const QString& path, const QString& reason, const Advice& advice, QWidget* parent = nullptr);
};

} // namespace kurvo::app
