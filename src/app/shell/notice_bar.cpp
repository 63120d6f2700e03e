// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/notice_bar.h"

#include <QAccessible>
#include <QHBoxLayout>
#include <QStyle>

#include <algorithm>

namespace kurvo::app {

NoticeBar::NoticeBar(QWidget* parent) : QFrame(parent), text_(new QLabel)
{
    setProperty("role", "notice");
    setObjectName("notice");
    text_->setWordWrap(true);
    text_->setTextFormat(Qt::PlainText);
    text_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    auto* close = new QPushButton(QStringLiteral("×"));
    close->setProperty("role", "link");
    close->setAccessibleName(tr("Close this message"));
    close->setFixedWidth(24);
    close->setFocusPolicy(Qt::NoFocus); // Escape closes it too, and a disabled button must not pass the focus here
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(12, 4, 8, 4);
    layout->addWidget(text_, 1);
    layout->addWidget(close, 0, Qt::AlignTop);
    connect(close, &QPushButton::clicked, this, &QWidget::hide);
    timer_.setSingleShot(true);
    timer_.setInterval(9000);
    connect(&timer_, &QTimer::timeout, this, &QWidget::hide);
    setMinimumHeight(28); // the line of the pointer
    hide();
}

void NoticeBar::show(const QString& sentence, Severity severity)
{
    // A warning that nobody has closed yet is never replaced: what comes after it stands below it.
    constexpr qsizetype most = 4;
    if (!isVisible() || severity_ == Severity::Info) {
        lines_ = {sentence};
        severity_ = severity;
    } else if (lines_.last() != sentence) {
        lines_ << sentence;
        lines_ = lines_.mid(std::max<qsizetype>(0, lines_.size() - most));
        severity_ = std::max(severity_, severity);
    }
    text_->setText(lines_.join(QLatin1Char('\n')));
    setProperty("severity", severity_ == Severity::Info      ? "info"
                            : severity_ == Severity::Warning ? "warning"
                                                             : "danger");
    style()->unpolish(this);
    style()->polish(this);
    setAccessibleName(text_->text());
    QFrame::show();
    QAccessibleEvent said(this, QAccessible::Alert);
    QAccessible::updateAccessibility(&said);
    QAccessibleEvent renamed(this, QAccessible::NameChanged);
    QAccessible::updateAccessibility(&renamed);
    if (severity_ == Severity::Info)
        timer_.start();
    else
        timer_.stop();
}

void NoticeBar::hideIfInfo()
{
    if (severity_ == Severity::Info)
        hide();
}

void NoticeBar::showEvent(QShowEvent* event)
{
    QFrame::showEvent(event);
    emit shownChanged(true);
}

void NoticeBar::hideEvent(QHideEvent* event)
{
    QFrame::hideEvent(event);
    if (isHidden())
        emit shownChanged(false);
}

} // namespace kurvo::app
