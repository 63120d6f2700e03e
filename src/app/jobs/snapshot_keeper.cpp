// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/snapshot_keeper.h"

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/ledger/ledger.h"
#include "core/snapshot/catalogue.h"

namespace kurvo::app {

SnapshotKeeper::SnapshotKeeper(const AppFolders& folders, PlaceStore& places, Notices& notices, QObject* parent)
    : QObject(parent), folders_(folders), places_(places), notices_(notices)
{
}

void SnapshotKeeper::save(std::uint64_t id)
{
    const auto* place = places_.placeOf(id);
    if (!place)
        return;
    if (!saving_.insert(id).second) {
        again_.insert(id);
        return;
    }
    struct Saved {
        std::string path;
        Result<SnapshotInfo> outcome;
        std::size_t removed = 0;
    };
    auto info = place->info;
    info.notRead = place->unreadable;
    runAsync(
        this,
        [folder = folders_.snapshots(), known = place->snapshotFile, info = std::move(info), whole = place->wholeDrive,
         tree = place->tree, account = place->account]() mutable -> Saved {
            if (whole)
                info.ledger = ledgerFigures(
                    {tree.get(), info.notRead, info.unreadable, info.partial, true, info.exclude, 0, account},
                    info.mountPoint, info.capacity);
            if (known.empty()) {
                std::size_t removed = 0;
                const auto added = addSnapshot(folder, info, *tree, &removed);
                if (!added)
                    return {folder, added.error()};
                return {*added, info, removed};
            }
            // What the helper adds belongs to the same scan, and so into the same file: whole, because others may have
            // been packed against it meanwhile.
            return {known, writeSnapshot(known, info, *tree)};
        },
        [this, id, taken = place->info.taken](const Saved& saved) {
            const auto* open = places_.placeOf(id);
            if (!saved.outcome) {
                notices_.say(tr("The scan is shown, but its snapshot was not saved: %1")
                                 .arg(QString::fromStdString(saved.outcome.error().sentence)),
                             Severity::Warning);
            } else {
                if (open && open->info.taken == taken) // not scanned again meanwhile
                    places_.setSnapshotFile(id, saved.path);
                emit snapshotSaved();
                if (saved.removed > 0)
                    emit snapshotsLetGo(saved.removed);
            }
            over(id);
        },
        [this, id](const QString& problem) {
            notices_.say(tr("The scan is shown, but its snapshot was not saved: %1").arg(problem), Severity::Warning);
            over(id);
        });
}

void SnapshotKeeper::over(std::uint64_t id)
{
    saving_.erase(id);
    if (again_.erase(id) > 0)
        save(id);
}

void SnapshotKeeper::open(const std::string& path)
{
    struct Opened {
        std::shared_ptr<Result<Snapshot>> snapshot;
        std::shared_ptr<const std::vector<Family>> dominant;
    };
    runAsync(
        this,
        [path] {
            Opened opened{std::make_shared<Result<Snapshot>>(readSnapshot(path)), nullptr};
            if (*opened.snapshot)
                opened.dominant = dominantFamilies(*(*opened.snapshot)->tree);
            return opened;
        },
        [this, path](const Opened& opened) {
            if (!*opened.snapshot) {
                notices_.say(QString::fromStdString(opened.snapshot->error().sentence), Severity::Problem);
                return;
            }
            const auto& snapshot = **opened.snapshot;
            Place place;
            place.info = snapshot.info;
            place.snapshotFile = path;
            place.fromSnapshot = true;
            place.tree = snapshot.tree;
            place.dominant = opened.dominant;
            place.capacity = snapshot.info.capacity;
            place.wholeDrive = snapshot.info.place == snapshot.info.mountPoint;
            places_.add(std::move(place));
        });
}

} // namespace kurvo::app
