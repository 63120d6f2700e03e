// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/scan/drive_card.h"

#include <QKeyEvent>
#include <QPainter>

#include "app/style/mnemonics.h"
#include "app/style/theme.h"
#include "app/style/tick_style.h"
#include "app/style/words.h"

namespace kurvo::app {

DriveCard::DriveCard(CardFacts facts, QWidget* parent) : QAbstractButton(parent), facts_(std::move(facts))
{
    setCheckable(true);
    setFocusPolicy(Qt::StrongFocus);
    setAttribute(Qt::WA_Hover);
    setText(asRead(facts_.name));
    setAccessibleName(facts_.name);
    setAccessibleDescription(
        facts_.capacity.total > 0
            ? tr("%1, %2 free of %3").arg(facts_.about, sizeText(facts_.capacity.free), sizeText(facts_.capacity.total))
            : facts_.about);
    setToolTip(facts_.set ? tr("Click to tick, double-click to scan them and look at them together")
                          : tr("Click to tick, double-click to scan it at once"));
    if (facts_.set)
        setContextMenuPolicy(Qt::CustomContextMenu);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void DriveCard::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const auto& t = theme();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(hasFocus() || isChecked() ? t.accent : t.line, hasFocus() ? 2 : 1));
    painter.setBrush(underMouse() && !isChecked() ? t.panel.darker(t.dark ? 90 : 102) : t.panel);
    painter.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 8, 8);

    const QRect inner = rect().adjusted(16, 12, -16, -12);
    drawTick(painter, QRect(inner.x(), inner.y() + 4, 14, 14), isChecked());

    int right = inner.right();
    if (facts_.capacity.total > 0) {
        const auto of = tr("free of %1").arg(sizeText(facts_.capacity.total));
        painter.setFont(fontOf(11));
        painter.setPen(t.textSecond);
        const int ofWidth = QFontMetrics(painter.font()).horizontalAdvance(of);
        painter.drawText(QPoint(right - ofWidth, inner.y() + 17), of);
        right -= ofWidth + 6;
        painter.setFont(fontOf(20, QFont::DemiBold));
        painter.setPen(t.text);
        const auto free = sizeText(facts_.capacity.free);
        const int freeWidth = QFontMetrics(painter.font()).horizontalAdvance(free);
        painter.drawText(QPoint(right - freeWidth, inner.y() + 17), free);
        right -= freeWidth + 12;
    }
    painter.setPen(t.text);
    painter.setFont(fontOf(15, QFont::DemiBold));
    painter.drawText(QPoint(inner.x() + 24, inner.y() + 17),
                     cutMiddle(facts_.name, painter.font(), right - inner.x() - 24));
    painter.setFont(fontOf(11));
    painter.setPen(t.textSecond);
    painter.drawText(QPoint(inner.x(), inner.y() + 38), cutMiddle(facts_.about, painter.font(), inner.width()));
    if (facts_.capacity.total > 0) {
        const QRect bar(inner.x(), inner.y() + 50, inner.width(), 12);
        painter.setRenderHint(QPainter::Antialiasing, false);
        painter.fillRect(bar, t.emptyBar);
        const double total = static_cast<double>(facts_.capacity.total);
        const int used = static_cast<int>(static_cast<double>(facts_.capacity.used) / total * bar.width());
        const int reserved = static_cast<int>(static_cast<double>(facts_.capacity.reserved) / total * bar.width());
        painter.fillRect(QRect(bar.x(), bar.y(), used, bar.height()), t.seen);
        painter.fillRect(QRect(bar.x() + used, bar.y(), reserved, bar.height()), t.line);
        painter.setPen(t.line);
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(bar.adjusted(0, 0, -1, -1));
    }
    painter.setPen(t.textSecond);
    const int below = inner.y() + (facts_.capacity.total > 0 ? 82 : 58);
    painter.drawText(QPoint(inner.x(), below), cutMiddle(facts_.lastScan, painter.font(), inner.width()));
    painter.drawText(QPoint(inner.x(), below + 18), cutMiddle(grewMost_, painter.font(), inner.width()));
    painter.setPen(t.text);
    painter.drawText(QPoint(inner.x(), below + (grewMost_.isEmpty() ? 18 : 36)),
                     cutMiddle(standsOut_, painter.font(), inner.width()));
}

void DriveCard::setGrewMost(const QString& words)
{
    grewMost_ = words;
    describe();
}

void DriveCard::setStandsOut(const QString& words)
{
    standsOut_ = words;
    describe();
}

void DriveCard::describe()
{
    QStringList lines{accessibleDescription().section(QLatin1Char('\n'), 0, 0), grewMost_, standsOut_};
    lines.removeAll(QString());
    setAccessibleDescription(lines.join(QLatin1Char('\n')));
    update();
}

void DriveCard::mouseDoubleClickEvent(QMouseEvent*)
{
    emit startRequested();
}

void DriveCard::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)
        emit startRequested();
    else
        QAbstractButton::keyPressEvent(event);
}

} // namespace kurvo::app
