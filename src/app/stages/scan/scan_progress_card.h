// SPDX-License-Identifier: GPL-3.0-or-later
// A scan that runs: how far it is, where it is, Pause, Stop, and the way to what is there already.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>

#include "app/jobs/scan_jobs.h"
#include "app/model/place_store.h"

namespace kurvo::app {

class ScanProgressCard : public QFrame {
    Q_OBJECT
public:
    ScanProgressCard(PlaceStore& places, ScanJobs& scanJobs, std::shared_ptr<ScanJob> job, QWidget* parent = nullptr);
    const std::shared_ptr<ScanJob>& job() const { return job_; }
    /// Reads the progress and shows it.
    void refresh();

signals:
    void exploreRequested();

private:
    PlaceStore& places_;
    ScanJobs& scanJobs_;
    std::shared_ptr<ScanJob> job_;
    QLabel* title_;
    QLabel* figures_;
    QProgressBar* bar_;
    QLabel* where_;
    QPushButton* explore_;
    QPushButton* pause_;
    QPushButton* stop_;
};

} // namespace kurvo::app
