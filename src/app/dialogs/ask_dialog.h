// SPDX-License-Identifier: GPL-3.0-or-later
// What asks before something is done: a heading, what is to be known, and two ways on. Leaving things alone is what
// Enter and Escape do, and has the focus.
#pragma once

#include <QDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace kurvo::app {

class AskDialog : public QDialog {
    Q_OBJECT
public:
    AskDialog(const QString& name, const QString& title, QWidget* parent);

protected:
    /// `role`: as the theme knows it: "heading", "second", "warning".
    QLabel* addText(const QString& text, const char* role = "");
    void add(QWidget* widget) { layout_->addWidget(widget); }
    /// Call it last. `go` is taken over; it accepts the dialog where it is an ordinary button.
    QPushButton* addWays(const QString& leave, const QString& leaveName, QPushButton* go, bool danger = true);

private:
    QVBoxLayout* layout_;
};

} // namespace kurvo::app
