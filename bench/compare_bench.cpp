// SPDX-License-Identifier: GPL-3.0-or-later
// Snapshots and comparing: `compare_bench [ENTRIES]`, a million unless given. Medians of nine rounds. The trees are
// those of core_bench; the second has one entry in a hundred changed, spread over everything.
#include <fmt/format.h>
#include <malloc.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <fstream>

#include "bench/big_tree.h"
#include "core/compare/comparison.h"
#include "core/compare/explain.h"
#include "core/compare/place_history.h"
#include "core/layout/treemap.h"
#include "core/snapshot/catalogue.h"

using namespace kurvo;

namespace {

constexpr int rounds = 9;

template <typename Work>
double median(Work&& work, int times = rounds)
{
    std::vector<double> all;
    for (int i = 0; i < times; ++i) {
        const auto begin = std::chrono::steady_clock::now();
        work();
        all.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count());
    }
    std::sort(all.begin(), all.end());
    return all[all.size() / 2];
}

/// The same entries; one in `each` has another size and time, one in ten times as many is gone.
std::shared_ptr<const FileTree> changed(const FileTree& tree, unsigned each, unsigned seed)
{
    std::mt19937_64 random(seed);
    const auto& from = tree.store();
    auto store = std::make_shared<NodeStore>(from.name(rootNode));
    NodeStore::NameWriter names(*store);
    std::vector<std::pair<NodeId, NodeId>> pending{{rootNode, rootNode}};
    std::vector<NewNode> group;
    std::vector<NodeId> folders;
    for (std::size_t i = 0; i < pending.size(); ++i) {
        const auto [old, made] = pending[i];
        group.clear();
        folders.clear();
        tree.forEachChild(old, [&](NodeId child) {
            if (!tree.isFolder(child) && random() % (10 * each) == 0)
                return;
            NewNode n;
            n.name = tree.name(child);
            n.stat.kind = from.kind(child);
            n.stat.links = 1;
            n.stat.inode = from.inode(child);
            n.stat.size = from.ownApparent(child);
            n.stat.blocks = from.ownDisk(child) / 512;
            n.stat.modified = from.modified(child);
            n.type = from.type(child);
            if (!tree.isFolder(child) && random() % each == 0) {
                n.stat.size = std::uint64_t{1} << (10 + random() % 20);
                n.stat.blocks = (n.stat.size + 4095) / 4096 * 8;
                n.stat.modified = 1760000000 + static_cast<std::int64_t>(random() % 1000000);
            }
            group.push_back(n);
            folders.push_back(tree.isFolder(child) ? child : noNode);
        });
        const auto first = store->append(made, group, names).first;
        for (std::uint32_t k = 0; k < folders.size(); ++k)
            if (folders[k] != noNode)
                pending.emplace_back(folders[k], first + k);
    }
    store->seal();
    return std::make_shared<FileTree>(std::move(store));
}

std::size_t resident()
{
    ::malloc_trim(0);
    std::size_t total = 0, pages = 0;
    std::ifstream("/proc/self/statm") >> total >> pages;
    return pages * static_cast<std::size_t>(::sysconf(_SC_PAGESIZE));
}

} // namespace

int main(int argc, char** argv)
{
    const auto files = static_cast<std::uint32_t>(argc > 1 ? std::atol(argv[1]) : 1000000);
    const auto folder = "/tmp/kurvo-bench-" + std::to_string(::getpid());
    std::filesystem::create_directories(folder);
    const auto before = bench::bigTree(files);
    const auto now = changed(*before, 100, 3);
    const auto entries = static_cast<double>(before->store().size());
    SnapshotInfo info;
    info.taken = 1760000000;
    info.host = "bench";

    const auto whole = folder + "/whole.kurvo", chained = folder + "/chained.kurvo";
    fmt::print("written            {:8.3f} s\n", median([&] { (void)writeSnapshot(whole, info, *before); }));
    const auto size = static_cast<double>(std::filesystem::file_size(whole));
    fmt::print("bytes an entry     {:8.2f}\n", size / entries);
    fmt::print("read               {:8.3f} s\n", median([&] { (void)readSnapshot(whole); }));
    std::vector<Result<Snapshot>> open; // kept: closing is not opening
    fmt::print("to first picture   {:8.3f} s\n", median([&] {
                   open.push_back(readSnapshot(whole));
                   (void)Treemap(*open.back()->tree, rootNode, {0, 0, 800, 600}).tiles().size();
               }));
    open.clear();
    fmt::print("written, 1 % on    {:8.3f} s\n", median([&] { (void)writeSnapshot(chained, info, *now, whole); }));
    fmt::print("1 % changed adds   {:8.2f} % of its size\n",
               100 * static_cast<double>(std::filesystem::file_size(chained)) / size);
    fmt::print("that one read      {:8.3f} s\n", median([&] { (void)readSnapshot(chained); }));

    std::shared_ptr<const Comparison> comparison;
    fmt::print("compared           {:8.3f} s\n", median([&] { comparison = Comparison::make(now, before); }));
    comparison.reset();
    const auto free = resident();
    comparison = Comparison::make(now, before);
    fmt::print("bytes an entry     {:8.1f}\n", static_cast<double>(resident() - free) / entries);
    fmt::print("list, explanation  {:8.3f} s\n", median([&] {
                   (void)changeList(*comparison);
                   (void)placesThatExplain(*comparison, Measure::Disk);
               }));

    // Fifty snapshots, each a hundredth on; every tenth is looked at by a tree of its own.
    const auto catalogue = folder + "/fifty";
    std::filesystem::create_directories(catalogue);
    const int many = files > 2000000 ? 10 : 50;
    std::string last;
    for (int i = 0; i < many; ++i) {
        info.taken += 86400;
        const auto path = fmt::format("{}/{:02}.kurvo", catalogue, i);
        (void)writeSnapshot(path, info, i % 10 == 0 ? *now : *changed(*now, 1000, static_cast<unsigned>(i)), last);
        last = path;
    }
    const auto all = readCatalogue(catalogue).entries;
    const auto path = before->path(before->store().size() - 1).substr(5); // the deepest
    const auto below = path.substr(0, path.find_last_of('/'));
    fmt::print("history over {}    {:8.3f} s\n", many, median([&] { (void)historyOf(all, {below, ""}); }));
    fmt::print("catalogue of {}    {:8.3f} s\n", many, median([&] { (void)readCatalogue(catalogue); }));
    std::filesystem::remove_all(folder);
}
