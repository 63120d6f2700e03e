// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/walk.h"

#include <fcntl.h>
#include <sys/resource.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <new>
#include <system_error>
#include <thread>

#include "core/base/text.h"
#include "core/platform/drives.h"
#include "core/scan/exclusion.h"
#include "core/types/file_types.h"

namespace kurvo {
namespace {

constexpr std::size_t mostListed = 10000;
constexpr unsigned mostDeviceErrors = 200; ///< a damaged disk has some bad folders; one that is gone has nothing else
constexpr int folderFlags = O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK;

/// The folder is not there any more, or is something else by now: the scan is no worse for it.
bool isVanished(int error)
{
    return error == ENOENT || error == ENOTDIR || error == ELOOP || error == ESTALE;
}

rlim_t descriptorLimit()
{
    rlimit limit{};
    return getrlimit(RLIMIT_NOFILE, &limit) == 0 ? limit.rlim_cur : 256;
}

/// What a drive answers that was pulled out or fails.
bool isDeviceError(int error)
{
    return error == EIO || error == ENODEV || error == ENXIO || error == ESHUTDOWN || error == ENOTCONN ||
           error == EUCLEAN;
}

} // namespace

Walk::Walk(std::shared_ptr<NodeStore> store, ScanOptions options, std::stop_token stop, ScanProgress& progress,
           std::shared_ptr<const DirectAccess> direct, std::shared_ptr<Ahead> ahead)
    : store_(std::move(store)), options_(std::move(options)), stop_(std::move(stop)), direct_(std::move(direct)),
      ahead_(std::move(ahead)), progress_(progress)
{
    const auto descriptors = descriptorLimit();
    openLimit_ = static_cast<int>(std::clamp<rlim_t>(descriptors / 4, 4, 512));
    const auto most = static_cast<unsigned>(std::clamp<rlim_t>(descriptors / 8, 1, 256));
    mostThreads_ = std::min(options_.threads != 0 ? options_.threads : 32u, most);
    constexpr std::size_t forTheEnd = std::size_t{48} << 20;
    reserve_.reset(std::malloc(forTheEnd));
    const Lock lock(progress_.mutex_);
    progress_.store_ = store_;
}

void Walk::run(UniqueFd root, const EntryStat& rootStat)
{
    rootStat_ = rootStat;
    if (options_.crossMounts) {
        // Decided here and by path, not by which worker comes first: one mount a device, and never the root's again.
        if (const auto drives = readAllMounts())
            for (const auto& drive : *drives) {
                if (!isAtOrBelow(drive.mountPoint, store_->name(rootNode)))
                    continue;
                if (drive.folded == FoldedAway::No)
                    otherMounts_.insert(drive.mountId);
                else if (drive.folded == FoldedAway::NoAnswer && drive.mountPoint != store_->name(rootNode))
                    noteUnreadable(rootNode,
                                   drive.mountPoint.substr(store_->name(rootNode).size() +
                                                           (store_->name(rootNode) == "/" ? 0 : 1)),
                                   ETIMEDOUT);
            }
    }
    root_ = std::make_shared<OpenFolder>(std::move(root), openFolders_);
    {
        const Lock lock(mutex_);
        shared_.push_back({rootNode, nullptr, nullptr, nullptr});
    }
    const auto processors = std::clamp(std::thread::hardware_concurrency(), 1u, 16u);
    addWorkers(options_.threads != 0 ? mostThreads_ : std::min(processors, mostThreads_));
    control();
    for (const auto& worker : workers_)
        worker->thread.join();
    std::sort(unreadableList.begin(), unreadableList.end(),
              [](const Unreadable& a, const Unreadable& b) { return a.path < b.path; });
}

UniqueFd Walk::openFromRoot(NodeId node, int& error) const
{
    std::vector<NodeId> chain;
    for (; node != rootNode; node = store_->parent(node))
        chain.push_back(node);
    UniqueFd at(::openat(root_->fd.get(), ".", chain.empty() ? folderFlags : (O_PATH | O_DIRECTORY | O_CLOEXEC)));
    for (auto i = chain.size(); i-- > 0 && at;)
        at = UniqueFd(::openat(at.get(), store_->nameC(chain[i]),
                               i == 0 ? folderFlags : (O_PATH | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC)));
    error = at ? 0 : errno;
    return at;
}

UniqueFd Walk::openItem(const Item& item, int& error) const
{
    // Descriptors can be short for a moment because of others in this program.
    for (int attempt = 0;; ++attempt) {
        UniqueFd fd;
        if (item.parent) {
            fd = UniqueFd(::openat(item.parent->fd.get(), store_->nameC(item.node), folderFlags));
            error = fd ? 0 : errno;
        } else {
            fd = openFromRoot(item.node, error);
        }
        if (attempt == 50 || (error != EMFILE && error != ENFILE))
            return fd;
        constexpr std::chrono::milliseconds moment{20};
        std::this_thread::sleep_for(moment);
    }
}

/// Readable until memory runs out: then the scan ends with what it has.
bool Walk::tryReadFolder(Worker& worker)
{
    try {
        return readFolder(worker);
    } catch (const std::bad_alloc&) {
        if (worker.state != State::Writing && !endReading(worker))
            return false;
        ending_ = true;
        outOfMemory = true;
        worker.entries = {};
        worker.listed = {};
        store_->addFlags(worker.item.node, FlagUnfinished);
        return true;
    }
}

/// False when this worker was left behind meanwhile.
bool Walk::readFolder(Worker& worker)
{
    publishCurrent(worker.item.node);
    worker.failures.clear();
    worker.entries.clear();
    worker.asked.store(nullptr, std::memory_order_release);
    enter(worker, State::Writing, State::Reading);
    const auto read = worker.tables && !worker.item.hung ? readFromTables(worker) : Read::NotHere;
    if (read == Read::LeftBehind)
        return false;
    if (read == Read::NotHere) {
        worker.entries.clear();
        worker.failures.clear();
        worker.folders.clear();
        if (!openFolder(worker) || (worker.folder && !readEntries(worker)))
            return false;
    }
    if (!endReading(worker))
        return false;
    keep(worker);
    return true;
}

/// False when this worker was left behind meanwhile.
bool Walk::openFolder(Worker& worker)
{
    int error = 0;
    auto folder = openItem(worker.item, error);
    worker.stepOn();
    if (worker.state == State::LeftBehind)
        return false;
    worker.folder = std::move(folder);
    if (!worker.folder && !isVanished(error))
        worker.failures.push_back({{}, error});
    return true;
}

/// In the order of their inodes: on a disk that has to seek they lie in that order, while folders list them by a hash
/// of the name.
void Walk::sortListed(Worker& worker) const
{
    const auto* names = worker.nameBytes.data();
    std::sort(worker.listed.begin(), worker.listed.end(), [names](const Listed& a, const Listed& b) {
        return a.inode != b.inode ? a.inode < b.inode : std::strcmp(names + a.name, names + b.name) < 0;
    });
}

/// Lists the folder, then looks at its entries. False when this worker was left behind meanwhile.
bool Walk::readEntries(Worker& worker)
{
    if (!listEntries(worker))
        return false;
    sortListed(worker);
    worker.entries.reserve(worker.listed.size());
    for (const auto& listed : worker.listed)
        if (!askForEntry(worker, listed))
            return false;
    classify(worker);
    return true;
}

/// Nothing of one folder's is in the way of the next.
void Walk::clearListed(Worker& worker)
{
    constexpr std::size_t ordinary = 8192;
    if (worker.entries.capacity() > ordinary) {
        worker.entries = {}; // one huge folder must not hold memory for the rest of the scan
        worker.nameBytes = {};
        worker.listed = {};
        worker.inodes = {};
        worker.folders = {};
    }
    worker.nameBytes.clear();
    worker.listed.clear();
    worker.inodes.clear();
}

bool Walk::listEntries(Worker& worker)
{
    clearListed(worker);
    const auto folder = worker.item.node;
    worker.reader.start(worker.folder.get());
    for (;;) {
        const auto entry = worker.reader.nextEntry();
        if (worker.state.load(std::memory_order_relaxed) == State::LeftBehind)
            return false;
        if (!entry.name)
            break;
        worker.stepOn();
        if (isExcluded(options_.exclude, entry.name, [&] { return store_->path(folder); }))
            continue;
        const auto length = std::strlen(entry.name);
        worker.listed.push_back({entry.inode, static_cast<std::uint32_t>(worker.nameBytes.size()),
                                 static_cast<std::uint16_t>(length), entry.isFolder});
        worker.nameBytes.append(entry.name, length + 1);
    }
    if (const int error = worker.reader.error(); error != 0 && !isVanished(error))
        worker.failures.push_back({{}, error});
    return true;
}

/// Asks the kernel for one entry of the open folder. False when this worker was left behind meanwhile.
bool Walk::askForEntry(Worker& worker, const Listed& listed)
{
    const char* name = worker.nameBytes.data() + listed.name;
    auto& entry = worker.entries.emplace_back();
    entry.name = {name, listed.length};
    if (worker.item.hung && worker.item.hung->contains(name)) {
        entry.stat.kind = listed.isFolder ? EntryKind::Folder : EntryKind::File;
        entry.stat.inode = listed.inode;
        entry.stat.device = rootStat_.device;
        entry.flags = FlagUnreadable;
        worker.failures.push_back({name, ETIMEDOUT});
        return true;
    }
    worker.asked.store(name, std::memory_order_release);
    const int error = statEntry(worker.folder.get(), name, entry.stat);
    worker.stepOn();
    if (worker.state.load(std::memory_order_relaxed) == State::LeftBehind)
        return false;
    if (error == 0)
        return true;
    if (error != ENOENT && error != ESTALE)
        worker.failures.push_back({name, error});
    worker.entries.pop_back();
    return true;
}

/// In a loop of its own, which the caches like better than a visit between two system calls.
void Walk::classify(Worker& worker) const
{
    const bool programs = holdsPrograms(store_->name(worker.item.node));
    for (auto& entry : worker.entries) {
        if (entry.stat.kind != EntryKind::Folder) {
            entry.type = typeOfName(entry.name);
            if (programs && entry.type == 0)
                entry.type = typeAmongPrograms(entry.name);
        } else if ((entry.flags & FlagUnreadable) == 0 && !mayEnter(entry.stat))
            entry.flags |= FlagDoor;
    }
}

/// Puts what was read of a folder where all can see it.
void Walk::keep(Worker& worker)
{
    const auto node = worker.item.node;
    const auto [first, disk] = store_->append(node, worker.entries, worker.names);
    if (first == noNode) {
        tooMany = true;
        ending_ = true;
        store_->addFlags(node, FlagUnfinished);
        return;
    }
    for (const auto& failure : worker.failures) {
        if (failure.error != ETIMEDOUT || failure.name.empty())
            store_->addFlags(node, FlagUnreadable);
        noteUnreadable(node, failure.name, failure.error);
    }
    progress_.entries_.fetch_add(worker.entries.size(), std::memory_order_relaxed);
    progress_.disk_.fetch_add(disk, std::memory_order_relaxed);

    const auto toEnter = [](const NewNode& entry) {
        return entry.stat.kind == EntryKind::Folder && (entry.flags & (FlagDoor | FlagUnreadable)) == 0;
    };
    const auto folders =
        static_cast<std::uint64_t>(std::count_if(worker.entries.begin(), worker.entries.end(), toEnter));
    if (folders == 0)
        return;
    open_ += folders;
    // Past the limit the children are opened from the root again when their turn comes: slower, and bounded.
    std::shared_ptr<OpenFolder> open;
    if (worker.folder && openFolders_->load(std::memory_order_relaxed) < openLimit_)
        open = std::make_shared<OpenFolder>(std::move(worker.folder), openFolders_);
    for (std::uint32_t i = 0; i < worker.entries.size(); ++i)
        if (toEnter(worker.entries[i]))
            worker.queue.push_back({first + i, open, nullptr, worker.folders.empty() ? nullptr : worker.folders[i]});
}

bool Walk::mayEnter(const EntryStat& stat) const
{
    if (rootStat_.mountId == 0)
        return stat.device == rootStat_.device;
    return stat.mountId == rootStat_.mountId || otherMounts_.contains(stat.mountId);
}

void Walk::noteUnreadable(NodeId node, const std::string& name, int error)
{
    if (name.empty())
        store_->addFlags(node, FlagUnreadable);
    progress_.unreadable_.fetch_add(1, std::memory_order_relaxed);
    const Lock lock(unreadableMutex_);
    if (isDeviceError(error) && ++deviceErrors_ >= mostDeviceErrors) {
        driveGone = true;
        ending_ = true;
    }
    if (unreadableList.size() < mostListed)
        unreadableList.push_back({name.empty() ? store_->path(node) : joinPath(store_->path(node), name), error});
}

void Walk::publishCurrent(NodeId node)
{
    using namespace std::chrono;
    const auto now = duration_cast<milliseconds>(steady_clock::now().time_since_epoch()).count();
    auto due = nextPublish_.load(std::memory_order_relaxed);
    if (now < due || !nextPublish_.compare_exchange_strong(due, now + 50))
        return;
    auto path = store_->path(node);
    const Lock lock(progress_.mutex_);
    progress_.current_ = std::move(path);
}

} // namespace kurvo
