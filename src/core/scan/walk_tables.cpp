// SPDX-License-Identifier: GPL-3.0-or-later
// A folder from the drive's own tables, and from the kernel where these cannot be believed.
#include "core/scan/exclusion.h"
#include "core/scan/walk.h"

namespace kurvo {

/// Takes what is in the folder from the drive's own tables, and asks the kernel for single entries that changed since.
/// NotHere: the folder itself is for the kernel.
Walk::Read Walk::readFromTables(Worker& worker)
{
    const auto node = worker.item.node;
    const auto inode = store_->inode(node);
    if (store_->device(node) != direct_->device || direct_->askKernel.contains(inode))
        return Read::NotHere;
    clearListed(worker);
    const auto above = node == rootNode ? 0 : store_->inode(store_->parent(node));
    const bool read = worker.tables->readFolder(
        inode, above, worker.item.inode.get(), [&](std::uint64_t number, std::string_view name) {
            const auto at = worker.nameBytes.size();
            worker.nameBytes.append(name);
            worker.nameBytes.push_back('\0');
            if (isExcluded(options_.exclude, worker.nameBytes.data() + at, [&] { return store_->path(node); }))
                return worker.nameBytes.resize(at);
            worker.listed.push_back(
                {number, static_cast<std::uint32_t>(at), static_cast<std::uint16_t>(name.size()), false});
        });
    worker.stepOn();
    if (worker.state.load(std::memory_order_relaxed) == State::LeftBehind)
        return Read::LeftBehind;
    if (!read)
        return Read::NotHere;
    sortListed(worker);
    // The folder's own inode is read again among those of its entries: had it changed, so might the names.
    const auto count = worker.listed.size();
    std::size_t own = count;
    for (std::size_t i = 0; i < count; ++i) {
        if (own == count && worker.listed[i].inode >= inode) {
            own = i;
            worker.inodes.push_back(inode);
        }
        worker.inodes.push_back(worker.listed[i].inode);
    }
    if (own == count)
        worker.inodes.push_back(inode);
    worker.entries.resize(count);
    constexpr std::size_t mostCarried = 4096; // folders of one folder whose maps wait with them
    std::size_t unsure = 0, carried = 0;
    bool stoodStill = false;
    worker.folders.clear();
    worker.tables->readInodes(worker.inodes, [&](std::size_t at, const Ext4Inode* found) {
        worker.stepOn();
        if (at == own) {
            stoodStill = found && worker.tables->isSame(*found);
            return;
        }
        const auto i = at - (at > own ? 1 : 0);
        const auto& listed = worker.listed[i];
        auto& entry = worker.entries[i];
        entry.name = {worker.nameBytes.data() + listed.name, listed.length};
        const bool isFolder = found && found->stat.kind == EntryKind::Folder;
        // A folder has one name. Two are a damaged drive, and would be read over and over.
        if (!found || (isFolder && (listed.inode == inode || (i > 0 && listed.inode == worker.listed[i - 1].inode)))) {
            entry.flags = FlagUnfinished; // for a moment
            ++unsure;
            return;
        }
        entry.stat = found->stat;
        entry.stat.device = direct_->device;
        entry.stat.mountId = rootStat_.mountId;
        if (isFolder && carried++ < mostCarried) {
            worker.folders.resize(count);
            worker.folders[i] = std::make_shared<const Ext4Inode>(*found);
        }
    });
    if (worker.state.load(std::memory_order_relaxed) == State::LeftBehind)
        return Read::LeftBehind;
    if (!stoodStill)
        return Read::NotHere;
    if (unsure > 0) {
        worker.folders.clear(); // others take their places
        if (!openFolder(worker))
            return Read::LeftBehind;
        if (!worker.folder)
            return Read::NotHere;
        const auto before = std::move(worker.entries);
        worker.entries = {};
        for (std::size_t i = 0; i < before.size(); ++i)
            if ((before[i].flags & FlagUnfinished) == 0)
                worker.entries.push_back(before[i]);
            else if (!askForEntry(worker, worker.listed[i]))
                return Read::LeftBehind;
        worker.asked.store(nullptr, std::memory_order_release);
    }
    classify(worker);
    return Read::Done;
}

} // namespace kurvo
