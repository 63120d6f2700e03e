// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/notice_bar.h"

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
    layout->setContentsMargins(12, 6, 8, 6);
    layout->addWidget(text_, 1);
    layout->addWidget(close, 0, Qt::AlignTop);
    connect(close, &QPushButton::clicked, this, &QWidget::hide);
    timer_.setSingleShot(true);
    timer_.setInterval(9000);
    connect(&timer_, &QTimer::timeout, this, &QWidget::hide);
    hide();
}

void NoticeBar::show(const QString& sentence, Severity severity)
{
    text_->setText(sentence);
    setProperty("severity", severity == Severity::Info ? "info" : severity == Severity::Warning ? "warning" : "danger");
    style()->unpolish(this);
    style()->polish(this);
    setAccessibleName(sentence);
    QFrame::show();
    place();
    raise();
    if (severity == Severity::Info)
        timer_.start();
    else
        timer_.stop();
}

void NoticeBar::hideIfInfo()
{
    if (property("severity") == "info")
        hide();
}

void NoticeBar::placeAbove(const QRect& area)
{
    area_ = area;
    place();
}

void NoticeBar::place()
{
    const int wide = std::min(640, area_.width() - 40);
    const int high = layout()->totalHeightForWidth(wide);
    setGeometry(area_.center().x() - wide / 2, area_.bottom() - high - 10, wide, high);
}

} // namespace kurvo::app
