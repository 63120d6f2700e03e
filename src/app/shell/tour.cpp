// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/tour.h"

#include <QHBoxLayout>

namespace kurvo::app {

TourBar::TourBar(QWidget* parent)
    : QFrame(parent), words_(new QLabel), back_(new QPushButton(tr("Back"))), next_(new QPushButton)
{
    setObjectName("tour");
    setProperty("role", "notice");
    setAccessibleName(tr("Tour"));
    words_->setObjectName("tourWords");
    words_->setWordWrap(true);
    words_->setTextFormat(Qt::RichText);
    next_->setObjectName("tourNext");
    auto* leave = new QPushButton(tr("Leave the tour"));
    leave->setObjectName("tourLeave");
    leave->setProperty("role", "link");
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(14, 6, 10, 6);
    layout->addWidget(words_, 1);
    layout->addWidget(back_);
    layout->addWidget(next_);
    layout->addWidget(leave);
    connect(back_, &QPushButton::clicked, this, [this] { show(at_ - 1); });
    connect(next_, &QPushButton::clicked, this, [this] { at_ + 1 < steps_.size() ? show(at_ + 1) : this->leave(); });
    connect(leave, &QPushButton::clicked, this, &TourBar::leave);
    hide();
}

void TourBar::start(std::vector<Step> steps)
{
    steps_ = std::move(steps);
    if (steps_.empty())
        return;
    QFrame::show();
    show(0);
}

void TourBar::show(std::size_t step)
{
    tell(step);
    emit stageWanted(steps_[step].stage);
}

void TourBar::follow(Stage stage)
{
    if (isHidden() || steps_.empty() || steps_[at_].stage == stage)
        return;
    for (std::size_t step = 0; step < steps_.size(); ++step)
        if (steps_[step].stage == stage)
            return tell(step);
}

void TourBar::tell(std::size_t step)
{
    at_ = step;
    words_->setText(tr("<b>%1 of %2</b>&nbsp; %3").arg(step + 1).arg(steps_.size()).arg(steps_[step].words));
    back_->setEnabled(step > 0);
    next_->setText(step + 1 < steps_.size() ? tr("Next") : tr("Done"));
    setAccessibleDescription(words_->text());
}

void TourBar::leave()
{
    hide();
    emit left();
}

} // namespace kurvo::app
