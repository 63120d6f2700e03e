// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/away.h"

#include <QWidget>

#include "app/style/words.h"

namespace kurvo::app {

Away::Away(QWidget& window, Models& models, Desktop* desktop, qint64 longWorkMs)
    : QObject(&window), window_(window), models_(models), desktop_(desktop), longWorkMs_(longWorkMs)
{
    desktop_->setParent(this);
    beat_.setInterval(1000);
    connect(&beat_, &QTimer::timeout, this, &Away::look);
    connect(desktop_, &Desktop::notificationChosen, this, &Away::called);
    connect(&models_.scans, &ScanJobs::scansChanged, this, &Away::look);
    connect(&models_.runner, &PlanRunner::planJobChanged, this, &Away::look);
    connect(&models_.scans, &ScanJobs::scanEnded, this, [this](std::uint64_t id, bool ok) {
        const auto* place = models_.places.placeOf(id);
        if (!place || !scanning_.isValid() || scanning_.elapsed() < longWorkMs_)
            return;
        told(ok ? tr("%1 is scanned").arg(toText(place->info.placeName)) : tr("A scan has failed"),
             ok ? tr("It holds %1.").arg(sizeText(place->tree->disk(rootNode))) : toText(place->info.placeName));
    });
    connect(&models_.runner, &PlanRunner::runEnded, this, [this] {
        if (running_.isValid() && running_.elapsed() >= longWorkMs_)
            told(tr("The plan was carried out"), tr("Clear shows what came free, and the way back."));
    });
}

void Away::told(const QString& title, const QString& text)
{
    if (!window_.isActiveWindow())
        desktop_->notify(title, text);
}

void Away::look()
{
    const auto* scan = models_.scans.runningScan();
    const auto* job = models_.runner.planJob();
    const bool acts = job && job->kind != PlanJob::Kind::Check;
    if (scan && !scans_)
        scanning_.start();
    if (acts && !runs_)
        running_.start();
    scans_ = scan != nullptr;
    runs_ = acts;
    desktop_->keepAwake(acts, tr("A plan is being carried out"));
    std::optional<double> share;
    if (acts)
        share = job->progress.share();
    else if (scan && scan->expectedBytes > 0)
        share =
            std::min(1.0, static_cast<double>(scan->progress->diskBytes()) / static_cast<double>(scan->expectedBytes));
    if (share || shows_)
        desktop_->showProgress(share);
    shows_ = share.has_value();
    if (!scans_ && !runs_)
        beat_.stop();
    else if (!beat_.isActive())
        beat_.start();
}

} // namespace kurvo::app
