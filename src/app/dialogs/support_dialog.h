// SPDX-License-Identifier: GPL-3.0-or-later
// The report for support, to be read before it is saved: nothing is sent anywhere.
#pragma once

#include <QDialog>
#include <QPlainTextEdit>
#include <QPushButton>

namespace kurvo::app {

class SupportDialog : public QDialog {
    Q_OBJECT
public:
    explicit SupportDialog(QWidget* parent = nullptr);
    /// Until then it says that it is being collected.
    void setReport(const QString& report);
    /// As it stands, with what was taken out of it by hand.
    QString report() const { return text_->toPlainText(); }

signals:
    void saveRequested();

private:
    QPlainTextEdit* text_;
    QPushButton* save_;
};

} // namespace kurvo::app
