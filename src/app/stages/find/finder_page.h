// SPDX-License-Identifier: GPL-3.0-or-later
// A question of Find whose answer is no list of the place's files. It has a page of its own, and works off the
// interface thread.
#pragma once

#include <QWidget>

namespace kurvo::app {

class FinderPage : public QWidget {
    Q_OBJECT
public:
    using QWidget::QWidget;

    /// What stands below the question: count and bytes; empty until it was asked.
    QString figures() const { return figures_; }
    bool isSettled() const { return settled_; }
    /// Looks again: it is shown, or another place is.
    virtual void refresh() = 0;

signals:
    void figuresChanged();
    void planRequested();    ///< something was put on the plan: to be looked at there
    void exploreRequested(); ///< what is selected is to be looked at there

protected:
    void setFigures(const QString& figures)
    {
        figures_ = figures;
        emit figuresChanged();
    }
    void setSettled(bool settled) { settled_ = settled; }

private:
    QString figures_;
    bool settled_ = true;
};

} // namespace kurvo::app
