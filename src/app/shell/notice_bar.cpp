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
    close->setFocusPolicy(Qt::NoFocus); // Escape closes a warning, and a disabled button must not pass the focus here
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(12, 4, 8, 4);
    layout->addWidget(text_, 1);
    layout->addWidget(close, 0, Qt::AlignTop);
    connect(close, &QPushButton::clicked, this, &QWidget::hide);
    timer_.setSingleShot(true);
    timer_.setInterval(9000);
    connect(&timer_, &QTimer::timeout, this, &NoticeBar::dropGoodNews);
    setMinimumHeight(28); // the line of the pointer
    hide();
}

void NoticeBar::show(const QString& sentence, Severity severity)
{
    constexpr std::size_t most = 4;
    if (isHidden()) // closed; before the window is shown it is not
        lines_.clear();
    std::erase_if(lines_, [&](const Line& line) {
        return line.severity == Severity::Info || (line.sentence == sentence && line.severity <= severity);
    });
    const bool known = std::ranges::find(lines_, sentence, &Line::sentence) != lines_.end();
    if (!known)
        lines_.push_back({sentence, severity});
    if (severity != Severity::Info && lines_.size() > most) // what is least grave goes first, and of that the oldest
        lines_.erase(std::ranges::min_element(lines_.begin(), lines_.end() - 1, {}, &Line::severity));
    lay();
    QFrame::show();
    QAccessibleEvent said(this, QAccessible::Alert);
    QAccessible::updateAccessibility(&said);
    QAccessibleEvent renamed(this, QAccessible::NameChanged);
    QAccessible::updateAccessibility(&renamed);
    lines_.back().severity == Severity::Info ? timer_.start() : timer_.stop();
}

void NoticeBar::dropGoodNews()
{
    timer_.stop();
    std::erase_if(lines_, [](const Line& line) { return line.severity == Severity::Info; });
    lines_.empty() ? hide() : lay();
}

bool NoticeBar::warns() const
{
    return isVisible() && std::ranges::any_of(lines_, [](const Line& line) { return line.severity > Severity::Info; });
}

void NoticeBar::lay()
{
    QStringList sentences;
    Severity gravest = Severity::Info;
    for (const auto& line : lines_) {
        sentences << line.sentence;
        gravest = std::max(gravest, line.severity);
    }
    text_->setText(sentences.join(QLatin1Char('\n')));
    setAccessibleName(text_->text());
    setProperty("severity", gravest == Severity::Info ? "info" : gravest == Severity::Warning ? "warning" : "danger");
    style()->unpolish(this);
    style()->polish(this);
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
