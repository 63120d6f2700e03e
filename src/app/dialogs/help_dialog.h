// SPDX-License-Identifier: GPL-3.0-or-later
// Something to be read: a page of docs/, which are part of the program, or the keys. It scrolls, and fits the window.
#pragma once

#include <QDialog>
#include <QTextBrowser>

namespace kurvo::app {

class HelpDialog : public QDialog {
    Q_OBJECT
public:
    explicit HelpDialog(const QString& title, QWidget* parent = nullptr);
    /// `page`: the name of the file in docs/ without its ending: "filter".
    void showPage(const QString& page);
    void setHtml(const QString& html);
    QString text() const { return text_->toPlainText(); }

private:
    QTextBrowser* text_;
};

} // namespace kurvo::app
