// SPDX-License-Identifier: GPL-3.0-or-later
// Several open places as one: a place of its own beside them, whose tree is a copy of theirs.
//
// Interface thread only.
#pragma once

#include <string>
#include <vector>

#include "app/jobs/scan_jobs.h"

namespace kurvo::app {

class Together : public QObject {
    Q_OBJECT
public:
    Together(PlaceStore& places, TreeUpdater& trees, ScanJobs& scans, Notices& notices, QObject* parent = nullptr);

    /// The open ones that can be looked at together: whole scans and snapshots of one machine, that of the first.
    std::vector<std::uint64_t> joinable() const;
    /// Shows these as one. One that holds the same places already is made anew.
    void join(const std::vector<std::uint64_t>& ids);
    /// As soon as all of these are open, and none of them grows: paths of folders, or of snapshot files.
    void joinOnceOpen(std::vector<std::string> paths);
    /// Takes the place that one is in out of those that are looked at together.
    void takeOutCurrent();
    /// Which of them one is in; nothing where it is all of them, or one place alone.
    const PlacePart* currentPart() const;

private:
    void look();

    PlaceStore& places_;
    TreeUpdater& trees_;
    ScanJobs& scans_;
    Notices& notices_;
    std::vector<std::string> awaited_;
};

} // namespace kurvo::app
