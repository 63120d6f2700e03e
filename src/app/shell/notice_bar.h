// SPDX-License-Identifier: GPL-3.0-or-later
// One sentence about what just happened. Good news goes by itself; warnings stay until they are closed.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include "app/services/notices.h"
#include "app/style/painted_parts.h"

namespace kurvo::app {

/// Has a line of its own below the stages, where it covers nothing (that of the pointer, which it takes the place of).
class NoticeBar : public QFrame, public PaintedParts {
    Q_OBJECT
public:
    explicit NoticeBar(QWidget* parent = nullptr);
    void show(const QString& sentence, Severity severity);
    /// Good news is about what one was doing: it goes with the stage.
    void hideIfInfo();
    QString text() const { return text_->text(); }
    QAccessible::Role partsRole() const override { return QAccessible::AlertMessage; }

signals:
    void shownChanged(bool shown);

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    QLabel* text_;
    QTimer timer_;
    QStringList lines_;
    Severity severity_ = Severity::Info;
};

} // namespace kurvo::app
