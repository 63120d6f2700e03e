// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/scan/scan_progress_card.h"

#include <QDateTime>
#include <QHBoxLayout>
#include <QVBoxLayout>

#include <algorithm>

#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

/// "8 s", "3 min": no finer than it can be known.
QString roughTime(double seconds)
{
    if (seconds < 90)
        return QObject::tr("%1 s").arg(countText(static_cast<std::uint64_t>(seconds) + 1));
    return QObject::tr("%1 min").arg(countText(static_cast<std::uint64_t>(seconds / 60) + 1));
}

} // namespace

ScanProgressCard::ScanProgressCard(PlaceStore& places, ScanJobs& scanJobs, std::shared_ptr<ScanJob> job,
                                   QWidget* parent)
    : QFrame(parent), places_(places), scanJobs_(scanJobs), job_(std::move(job)), title_(new QLabel),
      figures_(new QLabel), bar_(new QProgressBar), where_(new QLabel), explore_(new QPushButton(tr("Look inside"))),
      pause_(new QPushButton(tr("Pause"))), stop_(new QPushButton(tr("Stop")))
{
    setProperty("role", "card");
    setObjectName("scanProgress");
    title_->setProperty("role", "heading");
    figures_->setProperty("role", "second");
    figures_->setObjectName("scanFigures");
    where_->setProperty("role", "small");
    bar_->setTextVisible(false);
    bar_->setFixedHeight(8);
    explore_->setObjectName("exploreScan");
    explore_->setToolTip(tr("Shows what has been found until now; it grows while the scan runs"));
    pause_->setObjectName("pauseScan");
    stop_->setObjectName("stopScan");
    stop_->setToolTip(tr("Ends the scan and keeps what was found"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 10, 16, 10);
    layout->setSpacing(6);
    auto* first = new QHBoxLayout;
    first->addWidget(title_);
    first->addStretch();
    first->addWidget(figures_);
    auto* last = new QHBoxLayout;
    last->addWidget(where_, 1);
    for (auto* button : {explore_, pause_, stop_})
        last->addWidget(button);
    layout->addLayout(first);
    layout->addWidget(bar_);
    layout->addLayout(last);
    connect(stop_, &QPushButton::clicked, this, [this] { scanJobs_.stopScan(job_.get()); });
    connect(pause_, &QPushButton::clicked, this, [this] { scanJobs_.pauseScan(job_.get(), job_->pausedSinceMs == 0); });
    connect(explore_, &QPushButton::clicked, this, [this] {
        for (const auto& place : places_.places())
            if (place->id == job_->placeId) {
                places_.bringUp(*place);
                break;
            }
        emit exploreRequested();
    });
    refresh();
}

void ScanProgressCard::refresh()
{
    const auto name =
        job_->name.isEmpty() ? toText(job_->about.placeName.empty() ? job_->path : job_->about.placeName) : job_->name;
    const bool paused = job_->pausedSinceMs != 0;
    const bool stopping = job_->stop.stop_requested();
    const auto what = stopping ? tr("Stopping %1") : paused ? tr("Paused: %1") : tr("Scanning %1");
    title_->setText(cutMiddle(what.arg(name), fontOf(15, QFont::DemiBold), std::max(150, width() / 3)));
    const auto& progress = *job_->progress;
    const auto entries = progress.entries();
    const auto bytes = progress.diskBytes();
    const auto ahead = progress.ahead();
    const double seconds =
        std::max<double>(0.001, static_cast<double>(job_->elapsedMs(QDateTime::currentMSecsSinceEpoch())) / 1000.0);
    const double rate = static_cast<double>(entries) / seconds;
    QStringList parts{itemsText(entries, "entry", "entries")};
    if (job_->expectedBytes > 0) {
        parts << tr("%1 of %2 accounted for").arg(sizeText(bytes), sizeText(job_->expectedBytes));
        const double share = std::min(1.0, static_cast<double>(bytes) / static_cast<double>(job_->expectedBytes));
        // Time goes by entries, not by bytes; where the filesystem counts its inodes they tell it better.
        const double told =
            job_->expectedEntries > 0
                ? std::min(1.0, static_cast<double>(entries) / static_cast<double>(job_->expectedEntries))
                : share;
        // Where a drive's tables are read first, that is half of it.
        const double done =
            ahead.of > 0 ? (told + std::min(1.0, static_cast<double>(ahead.done) / static_cast<double>(ahead.of))) / 2
                         : told;
        bar_->setRange(0, 1000);
        bar_->setValue(static_cast<int>(done * 1000));
        if (!paused && entries > 0)
            parts << tr("%1 a second").arg(countText(static_cast<std::uint64_t>(rate)));
        if (!paused && seconds > 2 && done > 0.02 && done < 1)
            parts << tr("about %1 to go").arg(roughTime(seconds / done * (1 - done)));
    } else {
        parts << sizeText(bytes);
        if (!paused && entries > 0)
            parts << tr("%1 a second").arg(countText(static_cast<std::uint64_t>(rate)));
        bar_->setRange(0, paused ? 1 : 0);
    }
    figures_->setText(parts.join(QStringLiteral(" · ")));
    bar_->setAccessibleName(title_->text());
    QStringList where{
        job_->waits ? tr("Waits for the other scan of this disk, which cannot be in two places at once.")
        : entries == 0 && ahead.of > 0
            ? tr("The drive's own tables are read: %1 of %2.").arg(sizeText(ahead.done), sizeText(ahead.of))
        : entries == 0 && job_->atHelper ? tr("The drive's own tables are read with administrator rights.")
                                         : toText(progress.currentFolder())};
    if (const auto unreadable = progress.unreadable(); unreadable > 0)
        where << tr("%1 could not be read").arg(countText(unreadable));
    where_->setText(cutMiddle(where.join(QStringLiteral(" · ")), fontOf(11), std::max(100, width() - 330)));
    explore_->setVisible(!job_->rescan);
    explore_->setEnabled(job_->placeId != 0);
    pause_->setText(paused ? tr("Resume") : tr("Pause"));
    pause_->setEnabled(!stopping);
    stop_->setEnabled(!stopping);
}

} // namespace kurvo::app
