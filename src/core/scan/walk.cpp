// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/walk.h"

#include <fcntl.h>
#include <fnmatch.h>
#include <sys/resource.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <thread>

#include "core/base/text.h"
#include "core/platform/drives.h"
#include "core/types/file_types.h"

namespace kurvo {
namespace {

constexpr std::size_t mostListed = 10000;
constexpr int folderFlags = O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK;

/// The folder is not there any more, or is something else by now: the scan is no worse for it.
bool isVanished(int error)
{
    return error == ENOENT || error == ENOTDIR || error == ELOOP || error == ESTALE;
}

int descriptorShare()
{
    rlimit limit{};
    if (getrlimit(RLIMIT_NOFILE, &limit) != 0)
        return 64;
    const auto quarter = limit.rlim_cur / 4;
    return static_cast<int>(std::clamp<rlim_t>(quarter, 4, 512));
}

} // namespace

Walk::Walk(NodeStore& store, const ScanOptions& options, std::stop_token stop, ScanProgress& progress)
    : store_(store), options_(options), stop_(std::move(stop)), progress_(progress), openLimit_(descriptorShare())
{
}

void Walk::run(UniqueFd root, const EntryStat& rootStat, unsigned threads)
{
    rootStat_ = rootStat;
    if (options_.crossMounts) {
        // Decided here and by path, not by which worker comes first: one mount a device, and never the root's again.
        if (const auto drives = readDrives())
            for (const auto& drive : *drives)
                if (isAtOrBelow(drive.mountPoint, store_.name(rootNode)))
                    otherMounts_.insert(drive.mountId);
    }
    root_ = std::make_shared<OpenFolder>(std::move(root), openFolders_);
    threads_ = threads;
    shared_.push_back({rootNode, nullptr});
    std::vector<std::jthread> team;
    for (unsigned i = 0; i < threads; ++i)
        team.emplace_back([this] {
            Worker worker(store_);
            work(worker);
        });
    team.clear();
    std::sort(unreadableList.begin(), unreadableList.end(),
              [](const Unreadable& a, const Unreadable& b) { return a.path < b.path; });
}

void Walk::work(Worker& worker)
{
    Item item;
    while (take(worker, item)) {
        if (stop_.stop_requested() || tooMany)
            store_.addFlags(item.node, FlagUnfinished);
        else
            readFolder(worker, item);
        item.parent.reset();
        if (someoneIdle_.load(std::memory_order_relaxed) && worker.queue.size() > 1)
            share(worker);
    }
}

bool Walk::take(Worker& worker, Item& item)
{
    if (!worker.queue.empty()) {
        item = std::move(worker.queue.back());
        worker.queue.pop_back();
        return true;
    }
    std::unique_lock lock(mutex_);
    if (++idle_ == threads_ && shared_.empty())
        changed_.notify_all(); // nobody has work left
    someoneIdle_ = true;
    changed_.wait(lock, [this] { return !shared_.empty() || idle_ == threads_; });
    if (shared_.empty())
        return false;
    --idle_;
    someoneIdle_ = idle_ > 0;
    item = std::move(shared_.back());
    shared_.pop_back();
    return true;
}

void Walk::share(Worker& worker)
{
    const std::lock_guard lock(mutex_);
    if (shared_.size() >= threads_)
        return;
    for (auto give = worker.queue.size() / 2; give > 0; --give) {
        shared_.push_back(std::move(worker.queue.front()));
        worker.queue.pop_front();
    }
    changed_.notify_all();
}

UniqueFd Walk::openFromRoot(NodeId node, int& error) const
{
    std::vector<NodeId> chain;
    for (; node != rootNode; node = store_.parent(node))
        chain.push_back(node);
    UniqueFd at(::openat(root_->fd.get(), ".", chain.empty() ? folderFlags : (O_PATH | O_DIRECTORY | O_CLOEXEC)));
    for (auto i = chain.size(); i-- > 0 && at;)
        at = UniqueFd(::openat(at.get(), store_.nameC(chain[i]),
                               i == 0 ? folderFlags : (O_PATH | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC)));
    error = at ? 0 : errno;
    return at;
}

UniqueFd Walk::openItem(const Item& item, int& error) const
{
    if (!item.parent)
        return openFromRoot(item.node, error);
    UniqueFd fd(::openat(item.parent->fd.get(), store_.nameC(item.node), folderFlags));
    error = fd ? 0 : errno;
    return fd;
}

void Walk::readFolder(Worker& worker, const Item& item)
{
    int error = 0;
    UniqueFd fd = openItem(item, error);
    if (!fd) {
        if (!isVanished(error))
            noteUnreadable(item.node, nullptr, error);
        return;
    }
    publishCurrent(item.node);
    readEntries(worker, fd.get(), item.node);
    const auto first = store_.append(item.node, worker.entries, worker.names);
    if (first == noNode) {
        tooMany = true;
        store_.addFlags(item.node, FlagUnfinished);
        return;
    }

    std::uint64_t disk = 0;
    bool hasFolders = false;
    for (const auto& entry : worker.entries) {
        const bool door = (entry.flags & FlagDoor) != 0;
        disk += door ? 0 : entry.stat.blocks * 512;
        hasFolders |= entry.stat.kind == EntryKind::Folder && !door;
    }
    progress_.entries_.fetch_add(worker.entries.size(), std::memory_order_relaxed);
    progress_.disk_.fetch_add(disk, std::memory_order_relaxed);
    if (!hasFolders)
        return;

    // Past the limit the children are opened from the root again when their turn comes: slower, and bounded.
    std::shared_ptr<OpenFolder> open;
    if (openFolders_.load(std::memory_order_relaxed) < openLimit_)
        open = std::make_shared<OpenFolder>(std::move(fd), openFolders_);
    for (std::uint32_t i = 0; i < worker.entries.size(); ++i)
        if (worker.entries[i].stat.kind == EntryKind::Folder && (worker.entries[i].flags & FlagDoor) == 0)
            worker.queue.push_back({first + i, open});
}

void Walk::readEntries(Worker& worker, int fd, NodeId folder)
{
    constexpr std::size_t ordinary = 8192;
    if (worker.entries.capacity() > ordinary) {
        worker.entries = {}; // one huge folder must not hold memory for the rest of the scan
        worker.nameBytes = {};
        worker.nameEnds = {};
    }
    worker.entries.clear();
    worker.nameBytes.clear();
    worker.nameEnds.clear();
    worker.reader.start(fd);
    while (const char* name = worker.reader.next()) {
        NewNode entry;
        const int error = statEntry(fd, name, entry.stat);
        if (error == ENOENT || error == ESTALE)
            continue;
        if (!options_.exclude.empty() && isExcluded(folder, name))
            continue;
        if (error != 0) {
            store_.addFlags(folder, FlagUnreadable);
            noteUnreadable(folder, name, error);
            continue;
        }
        if (entry.stat.kind == EntryKind::Folder) {
            if (!mayEnter(entry.stat))
                entry.flags |= FlagDoor;
        } else {
            entry.type = typeOfName(name);
        }
        worker.nameBytes += name;
        worker.nameEnds.push_back(static_cast<std::uint32_t>(worker.nameBytes.size()));
        worker.entries.push_back(entry);
    }
    if (const int error = worker.reader.error(); error != 0 && !isVanished(error))
        noteUnreadable(folder, nullptr, error);
    std::uint32_t begin = 0;
    for (std::size_t i = 0; i < worker.entries.size(); ++i) {
        worker.entries[i].name = std::string_view(worker.nameBytes).substr(begin, worker.nameEnds[i] - begin);
        begin = worker.nameEnds[i];
    }
}

bool Walk::mayEnter(const EntryStat& stat) const
{
    if (rootStat_.mountId == 0)
        return stat.device == rootStat_.device;
    return stat.mountId == rootStat_.mountId || otherMounts_.contains(stat.mountId);
}

bool Walk::isExcluded(NodeId folder, const char* name) const
{
    for (const auto& glob : options_.exclude) {
        const bool whole = glob.find('/') != std::string::npos;
        const auto subject = whole ? joinPath(store_.path(folder), name) : std::string(name);
        if (::fnmatch(glob.c_str(), subject.c_str(), 0) == 0)
            return true;
    }
    return false;
}

void Walk::noteUnreadable(NodeId node, const char* name, int error)
{
    if (!name)
        store_.addFlags(node, FlagUnreadable);
    progress_.unreadable_.fetch_add(1, std::memory_order_relaxed);
    const std::lock_guard lock(unreadableMutex_);
    if (unreadableList.size() < mostListed)
        unreadableList.push_back({name ? joinPath(store_.path(node), name) : store_.path(node), error});
}

void Walk::publishCurrent(NodeId node)
{
    using namespace std::chrono;
    const auto now = duration_cast<milliseconds>(steady_clock::now().time_since_epoch()).count();
    auto due = nextPublish_.load(std::memory_order_relaxed);
    if (now < due || !nextPublish_.compare_exchange_strong(due, now + 50))
        return;
    auto path = store_.path(node);
    const std::lock_guard lock(progress_.mutex_);
    progress_.current_ = std::move(path);
}

} // namespace kurvo
