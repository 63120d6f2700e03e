// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/panels/job_card.h"

#include <QDateTime>
#include <QHBoxLayout>
#include <QVBoxLayout>

#include <algorithm>

#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

/// "about 4 min": coarse, because it is a guess.
QString spanText(std::int64_t seconds)
{
    if (seconds < 60)
        return QObject::tr("%1 s").arg(std::max<std::int64_t>(1, seconds));
    if (seconds < 90 * 60)
        return QObject::tr("%1 min").arg((seconds + 30) / 60);
    return QObject::tr("%1 h").arg((seconds + 1800) / 3600);
}

} // namespace

JobCard::JobCard(PlanRunner& runner, QWidget* parent)
    : QFrame(parent), runner_(runner), text_(new QLabel), path_(new QLabel), left_(new QLabel), bar_(new QProgressBar),
      pause_(new QPushButton(tr("Pause"))), stop_(new QPushButton)
{
    setProperty("role", "card");
    setObjectName("jobCard");
    text_->setObjectName("jobText");
    path_->setProperty("role", "small");
    left_->setProperty("role", "small");
    bar_->setTextVisible(false);
    bar_->setFixedHeight(8);
    bar_->setRange(0, 1000);
    pause_->setObjectName("pausePlan");
    stop_->setObjectName("stopPlan");
    auto* layout = new QVBoxLayout(this);
    layout->addWidget(text_);
    layout->addWidget(path_);
    layout->addWidget(bar_);
    layout->addWidget(left_);
    auto* buttons = new QHBoxLayout;
    buttons->addWidget(pause_);
    buttons->addWidget(stop_, 1);
    layout->addLayout(buttons);
    connect(pause_, &QPushButton::clicked, this, [this] {
        if (const auto* job = runner_.planJob())
            runner_.pausePlanJob(job->pausedSinceMs == 0);
    });
    connect(stop_, &QPushButton::clicked, &runner_, &PlanRunner::stopPlanJob);
    soon_.setSingleShot(true);
    soon_.setInterval(250);
    connect(&soon_, &QTimer::timeout, this, [this] {
        setVisible(runner_.planJob() != nullptr);
        refresh();
    });
    connect(&runner_, &PlanRunner::planJobChanged, this, &JobCard::refresh);
    hide();
    refresh();
}

void JobCard::refresh()
{
    const auto* job = runner_.planJob();
    if (job && job->kind == PlanJob::Kind::Check && isHidden()) {
        if (!soon_.isActive())
            soon_.start();
        return;
    }
    soon_.stop();
    setVisible(job != nullptr);
    if (job)
        fill(*job);
}

void JobCard::fill(const PlanJob& job)
{
    QString doing;
    switch (job.kind) {
    case PlanJob::Kind::Check:
        doing = tr("Checking");
        break;
    case PlanJob::Kind::CarryOut:
        doing = job.withRights ? tr("Carrying out as administrator") : tr("Carrying out");
        break;
    case PlanJob::Kind::TakeBack:
        doing = tr("Undoing");
        break;
    case PlanJob::Kind::Recover:
        doing = tr("Recovering an interrupted run");
        break;
    }
    const auto& p = job.progress;
    const bool paused = job.pausedSinceMs != 0;
    text_->setText(p.of == 0 ? doing + QStringLiteral("…")
                             : tr("%1: %2 of %3").arg(doing).arg(std::min(p.done + 1, p.of)).arg(p.of));
    path_->setText(cutMiddle(toText(p.path), fontOf(11), 250));
    path_->setToolTip(toText(p.path));
    bar_->setValue(static_cast<int>(p.share() * 1000));
    const auto now = QDateTime::currentMSecsSinceEpoch();
    const auto atWork = (paused ? job.pausedSinceMs : now) - job.startedMs - job.pausedMs;
    QStringList left;
    if (paused)
        left << tr("paused");
    else if (job.stop.stop_requested())
        left << tr("stopping after this item");
    if (job.kind != PlanJob::Kind::Check && p.bytesOf > 0)
        left << tr("%1 of %2")
                    .arg(sizeText(p.bytesDone + std::min(p.movedNow / 2, p.bytesOf - p.bytesDone)),
                         sizeText(p.bytesOf));
    constexpr std::int64_t settled = 3000; // before that a guess would jump about
    if (const auto share = p.share(); atWork > settled && share > 0.02 && share < 1 && !paused)
        left << tr("about %1 to go")
                    .arg(spanText(static_cast<std::int64_t>(static_cast<double>(atWork) * (1 / share - 1) / 1000)));
    left_->setText(left.join(QStringLiteral(" · ")));
    left_->setVisible(!left.isEmpty());
    const bool acts = job.kind == PlanJob::Kind::CarryOut || job.kind == PlanJob::Kind::TakeBack;
    pause_->setVisible(acts);
    pause_->setText(paused ? tr("Resume") : tr("Pause"));
    pause_->setEnabled(!job.stop.stop_requested());
    stop_->setText(acts ? tr("Stop after this item") : tr("Stop"));
    stop_->setEnabled(!job.stop.stop_requested());
}

} // namespace kurvo::app
