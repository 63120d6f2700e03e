// SPDX-License-Identifier: GPL-3.0-or-later
// Several open places as one: a place of its own beside them, whose tree is a copy of theirs and follows them. Those
// that are looked at again and again are kept as sets.
//
// Interface thread only.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "app/jobs/scan_jobs.h"
#include "core/snapshot/place_sets.h"

namespace kurvo::app {

class Together : public QObject {
    Q_OBJECT
public:
    Together(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, ScanJobs& scans,
             SnapshotKeeper& snapshots, Notices& notices, QObject* parent = nullptr);

    /// The open ones that can be looked at together: whole scans and snapshots of one machine, that of the first.
    std::vector<std::uint64_t> joinable() const;
    /// Shows these as one. `setName`: what they are kept as; may be empty.
    void join(const std::vector<std::uint64_t>& ids, const std::string& setName = {});
    /// As soon as two of these are open and do not grow any more; each of the others comes to them when it has: paths
    /// of folders, or of snapshot files. One that cannot be scanned is left out.
    void joinOnceOpen(std::vector<std::string> paths, const std::string& setName = {});

    /// The open ones that could come to those one looks at.
    std::vector<std::uint64_t> addable() const;
    void add(std::uint64_t id);
    /// Takes the place that one is in out of those that are looked at together.
    void takeOutCurrent();
    /// Which of them one is in; nothing where it is all of them, or one place alone.
    const PlacePart* currentPart() const;

    /// What one looks at together is kept under this name.
    void keepAsSet(const QString& name);
    void renameSet(const std::string& name, const QString& to);
    void removeSet(const std::string& name);
    /// Scans what is here of them, takes the newest snapshot of what is not, and looks at all of it together, and at
    /// `besides`, which is opened already (as in joinOnceOpen()). `scan` scans a folder as everywhere else.
    void openSets(const std::vector<PlaceSet>& sets, std::vector<std::string> besides,
                  const std::function<void(const std::string& path, const QString& name)>& scan);

signals:
    void setsChanged(); ///< in their file

private:
    /// What was asked for and is not all there yet.
    struct Gathering {
        std::vector<std::string> all;    ///< in the order in which they are shown
        std::vector<std::string> coming; ///< of these
        std::string setName;             ///< of all together
        std::uint64_t together = 0;      ///< where those are that came; 0: there are not two yet
        bool joining = false;
        bool isWhole = false; ///< all are there, and are only read again
    };
    void look();
    void leaveOutFailed();
    void bring(const std::vector<std::uint64_t>& ids);
    void sayWhatComes();
    void follow();
    void changeSets(const std::function<Result<Done>(const std::string& folder)>& change,
                    const std::function<void()>& then = {});
    void makeJoined(const std::vector<std::uint64_t>& ids, const std::string& setName,
                    const std::function<void(std::uint64_t id)>& then);
    const PlacePart* partOf(const Place& together, const Place& place) const;

    const AppFolders& folders_;
    PlaceStore& places_;
    TreeUpdater& trees_;
    ScanJobs& scans_;
    SnapshotKeeper& snapshots_;
    Notices& notices_;
    std::optional<Gathering> gathering_;
};

} // namespace kurvo::app
