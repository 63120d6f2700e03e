// SPDX-License-Identifier: GPL-3.0-or-later
#include <QDateTime>
#include <QHBoxLayout>

#include <algorithm>

#include "app/scan_stage.h"
#include "app/theme.h"
#include "app/words.h"

namespace kurvo::app {

ScanProgressCard::ScanProgressCard(Session& session, QWidget* parent)
    : QFrame(parent), session_(session), title_(new QLabel), figures_(new QLabel), bar_(new QProgressBar),
      where_(new QLabel), stop_(new QPushButton(tr("Stop")))
{
    setProperty("role", "card");
    setObjectName("scanProgress");
    title_->setProperty("role", "heading");
    figures_->setProperty("role", "second");
    where_->setProperty("role", "small");
    bar_->setTextVisible(false);
    bar_->setFixedHeight(8);
    stop_->setObjectName("stopScan");
    stop_->setToolTip(tr("Ends the scan and keeps what was found"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 12, 16, 12);
    auto* first = new QHBoxLayout;
    first->addWidget(title_);
    first->addStretch();
    first->addWidget(figures_);
    auto* last = new QHBoxLayout;
    last->addWidget(where_, 1);
    last->addWidget(stop_);
    layout->addLayout(first);
    layout->addWidget(bar_);
    layout->addLayout(last);
    connect(stop_, &QPushButton::clicked, &session_, &Session::stopScan);
    connect(&timer_, &QTimer::timeout, this, &ScanProgressCard::refresh);
    connect(&session_, &Session::scansChanged, this, &ScanProgressCard::refresh);
    timer_.setInterval(100);
    refresh();
}

void ScanProgressCard::refresh()
{
    const auto* job = session_.runningScan();
    setVisible(job != nullptr);
    if (!job) {
        timer_.stop();
        return;
    }
    if (!timer_.isActive())
        timer_.start();
    const auto name = job->name.isEmpty() ? toText(job->path) : job->name;
    title_->setText(cutMiddle(tr("Scanning %1").arg(name), fontOf(15, QFont::DemiBold), std::max(150, width() / 2)));
    const auto entries = job->progress->entries();
    const auto bytes = job->progress->diskBytes();
    const double seconds =
        std::max<double>(0.001, static_cast<double>(QDateTime::currentMSecsSinceEpoch() - job->startedMs) / 1000.0);
    QStringList parts{itemsText(entries, "entry", "entries")};
    if (job->expectedBytes > 0) {
        parts << tr("%1 of %2 accounted for").arg(sizeText(bytes), sizeText(job->expectedBytes));
        const double share = std::min(1.0, static_cast<double>(bytes) / static_cast<double>(job->expectedBytes));
        bar_->setRange(0, 1000);
        bar_->setValue(static_cast<int>(share * 1000));
        if (seconds > 2 && share > 0.02 && share < 1)
            parts
                << tr("about %1 s to go").arg(countText(static_cast<std::uint64_t>(seconds / share * (1 - share)) + 1));
    } else {
        parts << sizeText(bytes);
        bar_->setRange(0, 0);
    }
    parts << tr("%1 a second").arg(countText(static_cast<std::uint64_t>(static_cast<double>(entries) / seconds)));
    figures_->setText(parts.join(QStringLiteral(" · ")));
    QStringList where{toText(job->progress->currentFolder())};
    if (const auto unreadable = job->progress->unreadable(); unreadable > 0)
        where << tr("%1 could not be read").arg(countText(unreadable));
    if (session_.waitingScans() > 0)
        where << tr("%1 waiting").arg(session_.waitingScans());
    where_->setText(cutMiddle(where.join(QStringLiteral(" · ")), fontOf(11), std::max(100, width() - 130)));
    stop_->setEnabled(!job->stop.stop_requested());
}

} // namespace kurvo::app
