// SPDX-License-Identifier: GPL-3.0-or-later
// One sentence about what just happened. Good news goes by itself; warnings stay until they are closed.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include "app/services/notices.h"

namespace kurvo::app {

class NoticeBar : public QFrame {
    Q_OBJECT
public:
    explicit NoticeBar(QWidget* parent = nullptr);
    void show(const QString& sentence, Severity severity);
    /// Keeps it at the lower edge of `area`, in the middle.
    void placeAbove(const QRect& area);
    /// Good news is about what one was doing: it goes with the stage.
    void hideIfInfo();
    QString text() const { return text_->text(); }

private:
    QLabel* text_;
    void place();

    QTimer timer_;
    QRect area_;
    QStringList lines_;
    Severity severity_ = Severity::Info;
};

} // namespace kurvo::app
