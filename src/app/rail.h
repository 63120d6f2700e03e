// SPDX-License-Identifier: GPL-3.0-or-later
// The rail on the left: the stages in working order, and the menu.
#pragma once

#include <QAbstractButton>
#include <QFrame>
#include <QMenu>

#include <vector>

#include "app/icons.h"

namespace kurvo::app {

enum class Stage { Scan, Explore, Find, Clear };

/// 4 is kept for comparing, which will stand between.
inline constexpr const char* stageKeys[] = {"Ctrl+1", "Ctrl+2", "Ctrl+3", "Ctrl+5"};

class RailButton : public QAbstractButton {
    Q_OBJECT
public:
    RailButton(Sign sign, const QString& text, QWidget* parent = nullptr);
    void setBadge(int count);
    QSize sizeHint() const override { return {76, 64}; }

protected:
    void paintEvent(QPaintEvent* event) override;
    /// The stage that is shown decides which one is checked, not the press.
    void nextCheckState() override { }

private:
    Sign sign_;
    int badge_ = 0;
};

class Rail : public QFrame {
    Q_OBJECT
public:
    explicit Rail(QMenu* menu, QWidget* parent = nullptr);
    void setStage(Stage stage);
    void setPlanned(int count);
    RailButton* button(Stage stage) { return buttons_[static_cast<std::size_t>(stage)]; }

signals:
    void stageChosen(Stage stage);

private:
    std::vector<RailButton*> buttons_;
};

} // namespace kurvo::app
