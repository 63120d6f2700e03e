// SPDX-License-Identifier: GPL-3.0-or-later
// Scans that run: of places, which grow meanwhile, and of folders that are read again.
//
// Interface thread only.
#pragma once

#include <QTimer>

#include <atomic>
#include <functional>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "app/jobs/rights_reader.h"
#include "app/jobs/snapshot_keeper.h"
#include "app/model/tree_updater.h"
#include "core/remote/address.h"
#include "core/scan/disk_turns.h"
#include "core/scan/scanner.h"
#include "core/tree/growing_tree.h"

namespace kurvo::app {

/// A scan that runs: of a place, or of one folder again.
struct ScanJob {
    std::string path;
    QString name; ///< for people
    ScanOptions options;
    bool withRights = false;           ///< go on with administrator rights where it must
    std::atomic<bool> atHelper{false}; ///< the helper is at it
    std::atomic<bool> waits{false};    ///< for another scan of the same disk, which has to seek
    bool byHelper = false;             ///< and was read by the helper as a whole, once the scan has ended
    std::string refused;               ///< why these were not given: a sentence, once the scan has ended
    std::shared_ptr<ScanProgress> progress = std::make_shared<ScanProgress>();
    SnapshotInfo about;                ///< of the place, once known
    std::uint64_t expectedBytes = 0;   ///< used space of the drive when a whole drive is scanned, else 0
    std::uint64_t expectedEntries = 0; ///< the same by inodes, where the filesystem counts them
    std::int64_t startedMs = 0;
    std::int64_t pausedMs = 0;      ///< spent in pauses that have ended
    std::int64_t pausedSinceMs = 0; ///< 0 when it runs
    std::stop_source stop;
    std::uint64_t placeId = 0; ///< the place that grows with it; 0 as long as there is none
    std::shared_ptr<GrowingTree> growing;
    std::shared_ptr<GrowingFamilies> families;
    bool looking = false;          ///< a look at what grows is being taken
    std::uint64_t seenEntries = 0; ///< at the last look
    bool rescan = false;           ///< one folder of the place `placeId`, read again
    std::uint64_t number = 0;      ///< of rescans: the later it began, the higher
    bool remote = false;           ///< on another machine
    bool quiet = false;            ///< after something was carried out: nothing to be said of it

    /// Milliseconds it has been at work.
    std::int64_t elapsedMs(std::int64_t nowMs) const
    {
        return (pausedSinceMs != 0 ? pausedSinceMs : nowMs) - startedMs - pausedMs;
    }
};

class ScanJobs : public QObject {
    Q_OBJECT
public:
    ScanJobs(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, SnapshotKeeper& snapshots,
             RightsReader& rights, Notices& notices, QObject* parent = nullptr);
    /// Asks all to end, and says nothing of it: nobody listens any more.
    void stopAll();

    /// What scans: kurvo::scan(), unless another way of it is put in.
    using Scanner =
        std::function<Result<ScanResult>(const std::string&, const ScanOptions&, std::stop_token, ScanProgress*)>;
    void setScanner(Scanner scanner) { scanner_ = std::move(scanner); }
    /// Which disks cannot be read at two places at once: seekingDiskOf(), unless another way of it is put in.
    void setDiskOf(std::function<std::string(const std::string&)> diskOf) { diskOf_ = std::move(diskOf); }
    /// Starts a scan beside those that run. Its place is there at once and grows.
    void scanFolder(const std::string& path, const QString& name = {}, const ScanOptions& options = {},
                    bool withRights = false);
    /// Scans a place on another machine; its snapshot is kept and opened. `maySend`: the scanner may be sent there.
    void scanMachine(const RemoteAddress& address, bool rights, bool maySend = false);
    const std::vector<std::shared_ptr<ScanJob>>& scans() const { return scans_; }
    const ScanJob* runningScan() const { return scans_.empty() ? nullptr : scans_.front().get(); }
    const ScanJob* scanOf(const Place& place) const;
    /// Ends a scan; what was found is kept as a partial snapshot.
    void stopScan(const ScanJob* job);
    void pauseScan(const ScanJob* job, bool paused);
    /// Reads one folder of the current place again and puts what is there now into the tree.
    void rescan(NodeId folder);
    /// The same for the folders something happened in.
    void rescanChanged();
    /// Folders of any place that a run changed something in, quietly. Those that are not in the tree are read with the
    /// one they lie in.
    void readTouched(const std::vector<LoggedStep>& steps);

signals:
    void scansChanged(); ///< started, paused, ended
    void scanEnded(std::uint64_t placeId, bool ok);
    /// The other machine has no kurvoctl that fits: asked is whether the scanner may be sent.
    void scannerWanted(const kurvo::RemoteAddress& address, bool rights);
    /// The snapshot of another machine is in the catalogue.
    void machineScanned(const std::string& snapshot);

private:
    void startScan(const std::shared_ptr<ScanJob>& job);
    void growPlaces();
    void grow(const std::shared_ptr<ScanJob>& job, std::shared_ptr<const FileTree> tree,
              std::shared_ptr<const std::vector<Family>> dominant);
    void finishScan(const std::shared_ptr<ScanJob>& job, const Result<ScanResult>& result, const ScannedPlace& found);
    void finishMachine(const std::shared_ptr<ScanJob>& job, const ScannedPlace& found, const ScanResult& result,
                       const Result<std::string>& snapshot);
    void endScan(const std::shared_ptr<ScanJob>& job, std::uint64_t placeId, const ScanResult& result);
    void failScan(const std::shared_ptr<ScanJob>& job, const QString& sentence);
    void sayWhatIsMissing(const Place& place, const ScanResult& found);
    void rescanInPart(const Place& together, NodeId folder);
    void startRescan(const Place& place, const std::vector<std::string>& folders, bool quiet = false);
    std::vector<std::string> dropWhatIsOlder(const ScanJob& job, std::vector<FreshFolder>& fresh);

    const AppFolders& folders_;
    PlaceStore& places_;
    TreeUpdater& trees_;
    SnapshotKeeper& snapshots_;
    RightsReader& rights_;
    Notices& notices_;
    Scanner scanner_;
    std::function<std::string(const std::string&)> diskOf_ = [](const std::string& path) {
        return seekingDiskOf(path);
    };
    DiskTurns turns_;
    std::vector<std::shared_ptr<ScanJob>> scans_;
    /// What rescans have brought while one that began before them still runs.
    struct CameIn {
        std::uint64_t placeId, number;
        std::string folder;
    };
    std::vector<CameIn> cameIn_;
    std::uint64_t rescans_ = 0;
    QTimer growth_;
};

} // namespace kurvo::app
