// SPDX-License-Identifier: GPL-3.0-or-later
// What just happened, a sentence a line. Good news goes by itself; warnings stay until they are closed.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include <vector>

#include "app/services/notices.h"
#include "app/style/painted_parts.h"

namespace kurvo::app {

/// Has a line of its own below the stages, where it covers nothing (that of the pointer, which it takes the place of).
class NoticeBar : public QFrame, public PaintedParts {
    Q_OBJECT
public:
    explicit NoticeBar(QWidget* parent = nullptr);
    /// A warning that nobody has closed yet is never replaced: what comes after it stands below it. Good news takes
    /// the place of the good news before it.
    void show(const QString& sentence, Severity severity);
    /// Good news is about what one was doing: it goes with the stage.
    void dropGoodNews();
    /// Shows what does not go by itself.
    bool warns() const;
    QString text() const { return text_->text(); }
    QAccessible::Role partsRole() const override { return QAccessible::AlertMessage; }

signals:
    void shownChanged(bool shown);

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    struct Line {
        QString sentence;
        Severity severity;
    };
    void lay();

    QLabel* text_;
    QTimer timer_; ///< runs while good news is shown
    std::vector<Line> lines_;
};

} // namespace kurvo::app
