// SPDX-License-Identifier: GPL-3.0-or-later
// A page of docs/, which are part of the program, to be read in the window.
#pragma once

#include <QDialog>

namespace kurvo::app {

class HelpDialog : public QDialog {
    Q_OBJECT
public:
    /// `page`: the name of the file in docs/ without its ending: "filter".
    HelpDialog(const QString& title, const QString& page, QWidget* parent = nullptr);
};

} // namespace kurvo::app
