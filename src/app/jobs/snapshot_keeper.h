// SPDX-License-Identifier: GPL-3.0-or-later
// Snapshots of scanned places: saved one after the other for each place, so that what comes to a scan while it is being
// saved goes into the same file; and opened from files.
//
// Interface thread only.
#pragma once

#include <set>
#include <string>

#include "app/model/place_store.h"

namespace kurvo::app {

class SnapshotKeeper : public QObject {
    Q_OBJECT
public:
    SnapshotKeeper(const AppFolders& folders, PlaceStore& places, Notices& notices, QObject* parent = nullptr);

    /// Saves the place as it is once its turn comes: as a new snapshot, or into the one of the same scan.
    void save(std::uint64_t id);
    void open(const std::string& path);

signals:
    void snapshotSaved();
    /// So many earlier ones were removed with that, as the policy says.
    void snapshotsLetGo(std::size_t count);

private:
    void over(std::uint64_t id);

    const AppFolders& folders_;
    PlaceStore& places_;
    Notices& notices_;
    std::set<std::uint64_t> saving_; ///< places
    std::set<std::uint64_t> again_;  ///< and those that are to be saved once more after it
};

} // namespace kurvo::app
