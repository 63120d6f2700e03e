// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/come_free.h"

#include <fcntl.h>

#include <algorithm>
#include <atomic>
#include <mutex>
#include <set>

#include "core/base/team.h"
#include "core/base/text.h"
#include "core/plan/plan.h"
#include "core/platform/extents.h"
#include "core/platform/unique_fd.h"
#include "core/platform/writers.h"
#include "core/scan/scanner.h"

namespace kurvo {
namespace {

/// A stretch of the drive that a file has in common with another one.
struct Stretch {
    std::uint64_t begin = 0, end = 0;
    std::uint64_t onDisk = 0;
    std::uint64_t fileSize = 0;
};

struct Sums {
    std::uint64_t seen = 0; ///< by the files' own counts
    std::uint64_t compressed = 0, inlined = 0;
    std::vector<Stretch> shared;
    std::uint64_t looked = 0;
    std::uint64_t own = 0; ///< extents that no other file has

    void add(Sums&& more)
    {
        seen += more.seen;
        compressed += more.compressed;
        inlined += more.inlined;
        looked += more.looked;
        own += more.own;
        shared.insert(shared.end(), more.shared.begin(), more.shared.end());
    }
};

class Look {
public:
    Look(const FileTree& tree, const BlockSharing& sharing, std::stop_token stop)
        : tree_(tree), sharing_(sharing), stop_(std::move(stop))
    {
    }

    Sums at(const std::vector<NodeId>& files) const
    {
        Sums all;
        std::mutex mutex;
        std::atomic<std::size_t> next{0};
        constexpr std::size_t portion = 64;
        const auto members =
            std::min<std::size_t>(std::max(2u, std::thread::hardware_concurrency()), files.size() / (4 * portion) + 1);
        inTeam(members, [&] {
            Sums own;
            for (auto from = next.fetch_add(portion); from < files.size() && !stop_.stop_requested();
                 from = next.fetch_add(portion))
                for (auto i = from; i < std::min(from + portion, files.size()); ++i)
                    look(files[i], own);
            const std::lock_guard lock(mutex);
            all.add(std::move(own));
        });
        return all;
    }

private:
    void look(NodeId file, Sums& sums) const
    {
        const auto& store = tree_.store();
        const UniqueFd fd(
            ::open(tree_.path(file).c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC | O_NOCTTY | O_NOATIME));
        const UniqueFd plain(
            fd ? -1 : ::open(tree_.path(file).c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC | O_NOCTTY));
        const int at = fd ? fd.get() : plain.get();
        EntryStat now;
        if (at < 0 || statEntry(at, "", now) != 0 || now.inode != store.inode(file) || now.kind != EntryKind::File)
            return; // a check says so
        const auto extents = readExtents(at, now.inode, sharing_);
        if (!extents)
            return;
        ++sums.looked;
        sums.seen += tree_.disk(file);
        for (const auto& extent : *extents) {
            if (extent.inlined)
                sums.inlined += tree_.disk(file);
            else if (extent.compressed && sharing_.compresses)
                sums.compressed += extent.length - std::min(extent.length, extent.onDisk);
            sums.own += extent.shared || extent.inlined ? 0 : 1;
            if (extent.shared && !extent.inlined)
                sums.shared.push_back({extent.physical, extent.physical + extent.length, extent.onDisk, now.size});
        }
    }

    const FileTree& tree_;
    const BlockSharing& sharing_;
    std::stop_token stop_;
};

/// Bytes of these that do not come free: all of what lies in `others` or belongs to one item only, and of what several
/// items have all but one count. `unseen`: there may be others that nobody sees.
std::uint64_t heldBack(std::vector<Stretch> planned, std::vector<Stretch> others, bool unseen)
{
    struct Edge {
        std::uint64_t at;
        int planned, others;
        double onDisk; ///< for each byte
    };
    std::vector<Edge> edges;
    const auto add = [&edges](const Stretch& stretch, bool isPlanned) {
        if (stretch.end <= stretch.begin)
            return;
        const auto share = static_cast<double>(stretch.onDisk) / static_cast<double>(stretch.end - stretch.begin);
        edges.push_back({stretch.begin, isPlanned ? 1 : 0, isPlanned ? 0 : 1, isPlanned ? share : 0});
        edges.push_back({stretch.end, isPlanned ? -1 : 0, isPlanned ? 0 : -1, isPlanned ? -share : 0});
    };
    for (const auto& stretch : planned)
        add(stretch, true);
    for (const auto& stretch : others)
        add(stretch, false);
    std::sort(edges.begin(), edges.end(), [](const Edge& a, const Edge& b) { return a.at < b.at; });
    double held = 0, onDisk = 0;
    int count = 0, elsewhere = 0;
    std::uint64_t from = 0;
    for (const auto& edge : edges) {
        if (edge.at > from && count > 0) {
            const auto length = static_cast<double>(edge.at - from);
            const bool comesFree = count > 1 && elsewhere == 0 && !unseen;
            held += length * (comesFree ? onDisk * (count - 1) / count : onDisk);
        }
        from = edge.at;
        count += edge.planned;
        elsewhere += edge.others;
        onDisk = count == 0 ? 0 : onDisk + edge.onDisk;
    }
    return static_cast<std::uint64_t>(std::max(0.0, held) + 0.5);
}

/// Of items that lie in one place.
ComesFree comesFreeOf(const FileTree& tree, NodeId place, const std::vector<NodeId>& items,
                      const ComesFreeOptions& options, std::stop_token stop)
{
    ComesFree out;
    const auto& store = tree.store();
    std::uint64_t all = 0;
    for (const NodeId item : items)
        all += tree.disk(item);
    const auto linked = Plan::freedBytes(tree, items);
    out.links = all - std::min(all, linked);
    out.bytes = all - out.links;
    if (!options.live || items.empty())
        return out;

    const auto sharing = blockSharing(tree.path(place));
    const auto open = options.askPrograms ? OpenByOthers::read() : OpenByOthers();
    std::vector<bool> isPlanned(sharing.shares ? tree.extent().nodes : 0);
    std::vector<NodeId> files;
    for (const NodeId item : items)
        tree.forEachBelow(item, [&](NodeId node) {
            if (store.kind(node) != EntryKind::File)
                return;
            if (sharing.shares)
                isPlanned[node] = true;
            if (tree.disk(node) == 0)
                return;
            if (open.isOpen(store.device(node), store.inode(node)))
                out.heldOpen += tree.disk(node); // later, and not now
            else
                files.push_back(node);
        });
    out.heldOpen = std::min(out.heldOpen, out.bytes);
    out.bytes -= out.heldOpen;
    if (!sharing.shares || files.empty())
        return out;

    out.files = files.size();
    if (files.size() > options.mostFiles) {
        std::nth_element(files.begin(), files.begin() + static_cast<std::ptrdiff_t>(options.mostFiles), files.end(),
                         [&](NodeId a, NodeId b) { return tree.disk(a) > tree.disk(b); });
        files.resize(options.mostFiles);
    }
    const Look look(tree, sharing, stop);
    const auto planned = look.at(files);
    out.looked = planned.looked;
    // Who else has these blocks: most likely a copy of the same length.
    std::vector<Stretch> others;
    if (!planned.shared.empty()) {
        std::set<std::uint64_t> sizes;
        for (const auto& stretch : planned.shared)
            sizes.insert(stretch.fileSize);
        std::vector<NodeId> alike;
        for (NodeId node = 0; node < tree.extent().nodes; ++node)
            if (store.kind(node) == EntryKind::File && !isPlanned[node] && store.ownDisk(node) > 0 &&
                sizes.contains(store.ownApparent(node)))
                alike.push_back(node);
        others = look.at(alike).shared;
    }
    out.shared = heldBack(planned.shared, std::move(others), sharing.snapshots);
    out.compressed = planned.compressed;
    out.inlined = planned.inlined;
    if (out.isSampled() && planned.seen > 0) { // what was not looked at is taken to be like what was
        std::uint64_t whole = out.bytes;
        const auto scale = static_cast<double>(whole) / static_cast<double>(planned.seen);
        for (auto* part : {&out.shared, &out.compressed, &out.inlined})
            *part = static_cast<std::uint64_t>(static_cast<double>(*part) * std::max(1.0, scale));
    }
    for (auto* part : {&out.inlined, &out.compressed, &out.shared}) {
        *part = std::min(*part, out.bytes);
        out.bytes -= *part;
    }
    // Where an extent is looked up, and its checksums, are entries of trees that are kept twice.
    constexpr std::uint64_t ofAnExtent = 512;
    if (sharing.snapshots)
        out.bytes += planned.own * ofAnExtent;
    return out;
}

} // namespace

ComesFree comesFree(const FileTree& tree, const std::vector<NodeId>& items, const ComesFreeOptions& options,
                    std::stop_token stop)
{
    ComesFree sum;
    for (const NodeId place : tree.places()) { // each drive has its own ways
        std::vector<NodeId> here;
        std::copy_if(items.begin(), items.end(), std::back_inserter(here),
                     [&](NodeId item) { return tree.isAtOrBelow(item, place); });
        const auto one = comesFreeOf(tree, place, here, options, stop);
        for (const auto field : {&ComesFree::bytes, &ComesFree::links, &ComesFree::shared, &ComesFree::compressed,
                                 &ComesFree::inlined, &ComesFree::heldOpen, &ComesFree::files, &ComesFree::looked})
            sum.*field += one.*field;
    }
    return sum;
}

Result<ComesFree> comesFreeOf(const std::string& path, std::stop_token stop)
{
    EntryStat now;
    const UniqueFd fd(::open(path.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC | O_NOCTTY));
    if (const int error = statEntry(AT_FDCWD, path.c_str(), now); error != 0)
        return systemError("read", path, error);
    if (now.kind == EntryKind::Folder) {
        const auto result = scan(path, {}, stop);
        if (!result)
            return result.error();
        return comesFree(*result->tree, {rootNode}, {}, std::move(stop));
    }
    ComesFree out;
    (now.links > 1 ? out.links : out.bytes) = now.blocks * 512;
    if (now.kind != EntryKind::File || now.links > 1)
        return out;
    if (OpenByOthers::read().isOpen(now.device, now.inode)) {
        std::swap(out.heldOpen, out.bytes);
        return out;
    }
    const auto sharing = blockSharing(std::string(parentPath(path)));
    const auto extents = sharing.shares && fd ? readExtents(fd.get(), now.inode, sharing)
                                              : Result<std::vector<Extent>>(std::vector<Extent>());
    if (!extents)
        return out;
    for (const auto& extent : *extents) {
        auto& part = extent.inlined ? out.inlined : extent.shared ? out.shared : out.compressed;
        const auto less = extent.inlined || extent.shared ? extent.onDisk
                          : sharing.compresses            ? extent.length - std::min(extent.length, extent.onDisk)
                                                          : 0;
        part += std::min(less, out.bytes);
        out.bytes -= std::min(less, out.bytes);
    }
    return out;
}

} // namespace kurvo
