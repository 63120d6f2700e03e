// SPDX-License-Identifier: GPL-3.0-or-later
// The rail on the left: the stages in working order, and the menu.
#pragma once

#include <QAbstractButton>
#include <QFrame>
#include <QMenu>

#include <vector>

#include "app/style/icons.h"
#include "app/style/painted_parts.h"

namespace kurvo::app {

enum class Stage { Scan, Explore, Find, Compare, Clear };

class RailButton : public QAbstractButton, public PaintedParts {
    Q_OBJECT
public:
    RailButton(Sign sign, const QString& text, QWidget* parent = nullptr);
    void setBadge(int count);
    /// Items that are dragged from a view may be dropped here.
    void takeItems();
    QSize sizeHint() const override { return {76, 64}; }
    QAccessible::Role partsRole() const override
    {
        return isCheckable() ? QAccessible::PageTab : QAccessible::ButtonMenu;
    }

protected:
    void paintEvent(QPaintEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dragLeaveEvent(QDragLeaveEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    /// The stage that is shown decides which one is checked, not the press.
    void nextCheckState() override { }

signals:
    void itemsDropped();

private:
    Sign sign_;
    int badge_ = 0;
    bool offered_ = false; ///< something that may be dropped is over it
};

class Rail : public QFrame, public PaintedParts {
    Q_OBJECT
public:
    explicit Rail(QMenu* menu, QWidget* parent = nullptr);
    void setStage(Stage stage);
    void setPlanned(int count);
    QAccessible::Role partsRole() const override { return QAccessible::PageTabList; }
    RailButton* menuButton() { return more_; }
    RailButton* button(Stage stage) { return buttons_[static_cast<std::size_t>(stage)]; }

signals:
    void stageChosen(Stage stage);
    void itemsDropped(); ///< on the plan: what is selected

private:
    std::vector<RailButton*> buttons_;
    RailButton* more_ = nullptr;
};

} // namespace kurvo::app
