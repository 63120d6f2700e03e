// SPDX-License-Identifier: GPL-3.0-or-later
// One sentence about what just happened. Good news goes by itself; warnings stay until they are closed or replaced.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include "app/session.h"

namespace kurvo::app {

class NoticeBar : public QFrame {
    Q_OBJECT
public:
    explicit NoticeBar(QWidget* parent = nullptr);
    void show(const QString& sentence, Severity severity);
    QString text() const { return text_->text(); }

private:
    QLabel* text_;
    QTimer timer_;
};

} // namespace kurvo::app
