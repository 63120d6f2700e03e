// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/direct_check.h"

#include <fcntl.h>

#include <atomic>
#include <mutex>
#include <random>

#include "core/base/team.h"
#include "core/base/text.h"
#include "core/scan/exclusion.h"

namespace kurvo {
namespace {

/// Asking by whole paths would cost ten times as much: folders are chosen, and in each some of its entries.
class Sample {
public:
    Sample(int root, const NodeStore& store, const DirectAccess& access, const ScanOptions& options)
        : root_(root), store_(store), access_(access), options_(options)
    {
    }

    /// Empty where the folder is as it was read, or was touched since the scan began.
    std::string check(NodeId folder, std::minstd_rand& random) const
    {
        if (store_.has(folder, FlagDoor) || store_.has(folder, FlagUnreadable) || store_.has(folder, FlagUnfinished) ||
            store_.device(folder) != access_.device)
            return {};
        const auto top = store_.name(rootNode);
        const auto path = store_.path(folder);
        const auto relative = folder == rootNode ? "." : path.substr(top.size() + (top.ends_with('/') ? 0 : 1));
        const UniqueFd fd(
            ::openat(root_, relative.c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK));
        EntryStat own;
        if (!fd)
            return errno == ENAMETOOLONG || aboveWasTouched(relative) ? "" : missing(folder);
        if (statEntry(fd.get(), "", own) != 0 || own.inode != store_.inode(folder) || wasTouched(own))
            return own.inode == store_.inode(folder) || aboveWasTouched(relative) ? "" : missing(folder);
        const auto children = store_.children(folder);
        constexpr std::uint32_t most = 20;
        const auto first =
            children.count > most ? std::uniform_int_distribution<std::uint32_t>(0, children.count - most)(random) : 0;
        for (std::uint32_t i = first; i < std::min(first + most, children.count); ++i)
            if (const NodeId node = children.first + i; !isTrue(fd.get(), node))
                return wasTouchedNow(fd.get()) ? ""
                                               : "What the tables say of " + displayText(store_.path(node)) +
                                                     " is not what the kernel says.";
        constexpr std::uint32_t toCount = 5000; // one that holds most of a drive would be chosen over and over
        if (children.count > toCount)
            return {};
        FolderReader reader;
        reader.start(fd.get());
        std::uint32_t count = 0;
        while (const char* entry = reader.next())
            count += isExcluded(options_.exclude, entry, [&] { return path; }) ? 0 : 1;
        if (count == children.count || reader.error() != 0 || wasTouchedNow(fd.get()))
            return {};
        return "The tables have other names in " + displayText(path) + " than the kernel.";
    }

private:
    /// By whole seconds, which is all that some drives stamp.
    bool wasTouched(const EntryStat& stat) const { return stat.changed >= access_.since.seconds; }
    bool wasTouchedNow(int folder) const
    {
        EntryStat now;
        return statEntry(folder, "", now) != 0 || wasTouched(now);
    }
    /// A folder on the way was renamed or removed meanwhile.
    bool aboveWasTouched(std::string relative) const
    {
        while (!relative.empty()) {
            const auto slash = relative.rfind('/');
            relative.resize(slash == std::string::npos ? 0 : slash);
            EntryStat now;
            if (statEntry(root_, relative.c_str(), now) == 0)
                return wasTouched(now);
        }
        return false;
    }
    std::string missing(NodeId folder) const
    {
        return "The tables have a folder " + displayText(store_.path(folder)) + " that the kernel does not find.";
    }
    bool isTrue(int folder, NodeId node) const
    {
        if (store_.has(node, FlagDoor))
            return true;
        EntryStat now;
        if (statEntry(folder, store_.nameC(node), now) != 0)
            return false; // unless the folder was touched
        if (wasTouched(now) || now.device != access_.device)
            return true;
        if (now.kind != store_.kind(node) || now.inode != store_.inode(node))
            return false;
        // A call that writes for long stamps its file at the beginning; the tables have what it wrote until a moment
        // ago.
        constexpr std::int64_t longCall = 60;
        if (now.changed >= access_.since.seconds - longCall)
            return true;
        const bool hasLength = now.kind == EntryKind::File || now.kind == EntryKind::SymbolicLink;
        return now.blocks * 512 == store_.ownDisk(node) && now.modified == store_.modified(node) &&
               now.modifiedNs == store_.modifiedNs(node) && now.uid == store_.owner(node) &&
               (!hasLength || now.size == store_.ownApparent(node));
    }

    int root_;
    const NodeStore& store_;
    const DirectAccess& access_;
    const ScanOptions& options_;
};

} // namespace

std::string checkSample(int root, const NodeStore& store, const DirectAccess& access, const ScanOptions& options,
                        std::stop_token stop)
{
    constexpr unsigned members = 2;
    constexpr std::uint32_t folders = 100; // for each
    const Sample sample(root, store, access, options);
    std::mutex mutex;
    std::string problem;
    std::atomic<std::uint32_t> seed{std::random_device{}()};
    inTeam(members, [&] {
        std::minstd_rand random(++seed);
        std::uniform_int_distribution<NodeId> any(0, store.size() - 1);
        for (std::uint32_t i = 0; i < folders && !stop.stop_requested(); ++i) {
            const NodeId node = any(random);
            auto found = sample.check(store.isFolder(node) ? node : store.parent(node), random);
            if (found.empty())
                continue;
            const std::lock_guard lock(mutex);
            problem = std::move(found);
            return;
        }
    });
    return problem;
}

} // namespace kurvo
