// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/rail.h"

#include <QDragEnterEvent>
#include <QMimeData>
#include <QPainter>
#include <QVBoxLayout>

#include "app/lists/item_drag.h"
#include "app/style/theme.h"

namespace kurvo::app {

RailButton::RailButton(Sign sign, const QString& text, QWidget* parent) : QAbstractButton(parent), sign_(sign)
{
    setText(text);
    setAccessibleName(text);
    setCheckable(true);
    setFocusPolicy(Qt::TabFocus);
    setAttribute(Qt::WA_Hover);
}

void RailButton::setBadge(int count)
{
    badge_ = count;
    setAccessibleDescription(count > 0 ? tr("%n planned", nullptr, count) : QString());
    update();
}

void RailButton::takeItems()
{
    setAcceptDrops(true);
}

void RailButton::dragEnterEvent(QDragEnterEvent* event)
{
    if (!event->mimeData()->hasFormat(QString::fromLatin1(draggedItems)))
        return;
    offered_ = true;
    event->acceptProposedAction();
    update();
}

void RailButton::dragLeaveEvent(QDragLeaveEvent*)
{
    offered_ = false;
    update();
}

void RailButton::dropEvent(QDropEvent* event)
{
    offered_ = false;
    event->acceptProposedAction();
    update();
    emit itemsDropped();
}

void RailButton::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const auto& t = theme();
    if (isChecked()) {
        painter.fillRect(rect(), t.accentFill);
        painter.fillRect(QRect(0, 0, 3, height()), t.accent);
    } else if (underMouse()) {
        painter.fillRect(rect(), t.window);
    }
    const auto colour = isChecked() ? t.accent : t.textSecond;
    drawSign(painter, sign_, QRectF(width() / 2.0 - 10, 11, 20, 20), colour);
    painter.setPen(colour);
    painter.setFont(fontOf(11, isChecked() ? QFont::DemiBold : QFont::Normal));
    painter.drawText(QRect(0, 36, width(), 18), Qt::AlignCenter, text());
    if (badge_ > 0) {
        const auto number = QString::number(badge_);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setFont(fontOf(11, QFont::DemiBold));
        const int wide = std::max(16, QFontMetrics(painter.font()).horizontalAdvance(number) + 8);
        const QRect pill(width() / 2 + 8, 5, wide, 16);
        painter.setPen(Qt::NoPen);
        painter.setBrush(t.accent);
        painter.drawRoundedRect(pill, 8, 8);
        painter.setPen(t.onAccent);
        painter.drawText(pill, Qt::AlignCenter, number);
    }
    if (hasFocus() || offered_) {
        painter.setRenderHint(QPainter::Antialiasing, false);
        painter.setPen(QPen(t.accent, 2));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect().adjusted(1, 1, -1, -1));
    }
}

Rail::Rail(QMenu* menu, QWidget* parent) : QFrame(parent)
{
    setProperty("role", "panel");
    setObjectName("rail");
    setAccessibleName(tr("Stages"));
    setFixedWidth(76);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 8, 0, 8);
    layout->setSpacing(2);
    const std::pair<Sign, QString> stages[] = {{Sign::Scan, tr("Scan")},
                                               {Sign::Explore, tr("Explore")},
                                               {Sign::Find, tr("Find")},
                                               {Sign::Compare, tr("Compare")},
                                               {Sign::Clear, tr("Clear")}};
    for (std::size_t i = 0; i < std::size(stages); ++i) {
        auto* button = new RailButton(stages[i].first, stages[i].second);
        connect(button, &QAbstractButton::clicked, this, [this, i] { emit stageChosen(static_cast<Stage>(i)); });
        layout->addWidget(button);
        buttons_.push_back(button);
    }
    button(Stage::Clear)->takeItems();
    connect(button(Stage::Clear), &RailButton::itemsDropped, this, &Rail::itemsDropped);
    layout->addStretch();
    auto* more = more_ = new RailButton(Sign::Menu, tr("Menu"));
    more->setCheckable(false);
    more->setObjectName("menu");
    more->setToolTip(tr("All actions with their keys"));
    connect(more, &QAbstractButton::clicked, this, [more, menu] {
        menu->popup(more->mapToGlobal(QPoint(more->width(), 0)) -
                    QPoint(0, menu->sizeHint().height() - more->height()));
    });
    layout->addWidget(more);
}

void Rail::setStage(Stage stage)
{
    for (std::size_t i = 0; i < buttons_.size(); ++i)
        buttons_[i]->setChecked(i == static_cast<std::size_t>(stage));
}

void Rail::setPlanned(int count)
{
    button(Stage::Clear)->setBadge(count);
}

} // namespace kurvo::app
